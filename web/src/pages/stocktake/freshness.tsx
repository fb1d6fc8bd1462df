import { decimals } from "../../languages/figures";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { components } from "../../data/schema";
import { tableOf, useFreshness, weeksOf } from "../../data/stocktake";
import { dateWords } from "../../data/times";
import { Trouble, Waiting } from "../../parts/basics";
import { Bulk } from "../../parts/bulk/bulk";
import { exportOf, listed } from "../../parts/bulk/plan";
import { Card, Line, Lines } from "./card";
import { Bars } from "./drawings";
import { Choose, Of } from "./period";

type Freshness = components["schemas"]["Freshness"];

/** How old the shelf is, and what waits for whom. */
export function FreshnessPage() {
  const [weeks, setWeeks] = useState(13);
  const wanted = weeksOf(weeks);
  const fresh = useFreshness(wanted);
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Freshness</Trans>
          </h1>
          {fresh.data && <Of period={fresh.data.period} />}
        </div>
        <Choose weeks={weeks} setWeeks={setWeeks} />
      </header>
      <Trouble error={fresh.error} title={t`The figures cannot be shown`} />
      {fresh.data ? <Shown f={fresh.data} table={tableOf("freshness", wanted)} /> : <Waiting lines={12} />}
    </>
  );
}

const ageOf = (days: number) =>
  days === 0 ? t`Older` : days === 365 ? t`Up to a year` : t`Up to ${days} days`;

function Shown({ f, table }: { f: Freshness; table: string }) {
  const ages = f.ages.map((a) => ({ name: ageOf(a.days), value: a.entries, before: a.stale }));
  const steps = [...f.to_shelf.slice(1), ...f.by_reviewer.slice(1)];
  return (
    <div className="grid grid-cols-1 items-start gap-5 wide:grid-cols-2">
      <Card
        title={t`Age of what is on the shelf`}
        says={t`entries; dashed: stale ones`}
        table={table}
        name="ages"
        drawn
      >
        <Bars
          rows={ages}
          second={t`Stale`}
          says={ages.map((a) => t`${a.name}: ${a.value}, ${a.before} stale`).join("; ")}
        />
      </Card>
      <Card
        title={t`Stale`}
        says={t`${f.stale_all}; they were to be looked at by this day`}
        table={table}
        does={
          <Bulk
            entries={listed(f.stale)}
            can={["renew", "label", "transfer", "retire"]}
            exported={exportOf(f.stale)}
          />
        }
      >
        <Entries items={f.stale} none={t`Nothing is past its day.`} />
      </Card>
      <Card title={t`Waits for a review`} table={table}>
        {f.waiting.length === 0 && (
          <p className="px-4 py-3 text-faded">
            <Trans>Nothing waits.</Trans>
          </p>
        )}
        <Lines>
          {f.waiting.map((w) => (
            <Line key={w.slug} number={plural(w.days, { one: "a day", other: "# days" })}>
              <Link to="/entries/$slug" params={{ slug: w.slug }} className="hover:underline">
                {w.title}
              </Link>
            </Line>
          ))}
        </Lines>
      </Card>
      <Card
        title={t`From draft to shelf`}
        says={t`median ${f.to_shelf[0] ? decimals(f.to_shelf[0].median, 1) : "–"} days of ${f.to_shelf[0]?.versions ?? 0} versions`}
        table={table}
      >
        <Lines>
          {steps.map((s) => (
            <Line key={s.name} number={t`${decimals(s.median, 1)} days · ${s.versions}`}>
              {s.title}
            </Line>
          ))}
          {f.returned.map((r) => (
            <Line key={`returned ${r.name}`} number={plural(r.count, { one: "once", other: "# times" })}>
              <Trans>Returned: {r.title}</Trans>
            </Line>
          ))}
        </Lines>
      </Card>
      <Card title={t`Who owns the most`} says={t`${f.no_deputy} entries have no deputy`} table={table}>
        <Lines>
          {f.owners.slice(0, 12).map((o) => (
            <Line key={o.name} number={o.stale ? t`${o.entries}, ${o.stale} stale` : o.entries}>
              {o.full_name}
            </Line>
          ))}
        </Lines>
      </Card>
      <Card
        title={t`Owner left`}
        table={table}
        does={<Bulk entries={listed(f.owner_left)} can={["transfer", "retire"]} />}
      >
        <Entries items={f.owner_left} none={t`Everything has an owner who is here.`} />
      </Card>
    </div>
  );
}

function Entries({ items, none }: { items: Freshness["stale"]; none: string }) {
  if (items.length === 0) return <p className="px-4 py-3 text-faded">{none}</p>;
  return (
    <Lines>
      {items.map((e) => (
        <Line key={e.slug} number={dateWords(e.day)}>
          <Link to="/entries/$slug" params={{ slug: e.slug }} className="hover:underline">
            {e.title}
          </Link>{" "}
          <span className="text-small text-faded">{e.owner_name}</span>
        </Line>
      ))}
    </Lines>
  );
}
