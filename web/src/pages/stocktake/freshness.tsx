import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { components } from "../../data/schema";
import { tableOf, useFreshness, weeksOf } from "../../data/stocktake";
import { dateWords } from "../../data/times";
import { Trouble, Waiting } from "../../parts/basics";
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
          <h1 className="text-title max-sm:text-head">Freshness</h1>
          {fresh.data && <Of period={fresh.data.period} />}
        </div>
        <Choose weeks={weeks} setWeeks={setWeeks} />
      </header>
      <Trouble error={fresh.error} title="The figures cannot be shown" />
      {fresh.data ? <Shown f={fresh.data} table={tableOf("freshness", wanted)} /> : <Waiting lines={12} />}
    </>
  );
}

const ageOf = (days: number) => (days === 0 ? "Older" : days === 365 ? "Up to a year" : `Up to ${days} days`);

function Shown({ f, table }: { f: Freshness; table: string }) {
  const ages = f.ages.map((a) => ({ name: ageOf(a.days), value: a.entries, before: a.stale }));
  const steps = [...f.to_shelf.slice(1), ...f.by_reviewer.slice(1)];
  return (
    <div className="grid grid-cols-1 items-start gap-5 wide:grid-cols-2">
      <Card
        title="Age of what is on the shelf"
        says="entries; dashed: stale ones"
        table={table}
        name="ages"
        drawn
      >
        <Bars
          rows={ages}
          second="Stale"
          says={ages.map((a) => `${a.name}: ${a.value}, ${a.before} stale`).join("; ")}
        />
      </Card>
      <Card title="Stale" says={`${f.stale_all}; they were to be looked at by this day`} table={table}>
        <Entries items={f.stale} none="Nothing is past its day." />
      </Card>
      <Card title="Waits for a review" table={table}>
        {f.waiting.length === 0 && <p className="px-4 py-3 text-faded">Nothing waits.</p>}
        <Lines>
          {f.waiting.map((w) => (
            <Line key={w.slug} number={w.days === 1 ? "a day" : `${w.days} days`}>
              <Link to="/entries/$slug" params={{ slug: w.slug }} className="hover:underline">
                {w.title}
              </Link>
            </Line>
          ))}
        </Lines>
      </Card>
      <Card
        title="From draft to shelf"
        says={`median ${f.to_shelf[0]?.median.toFixed(1) ?? "–"} days of ${f.to_shelf[0]?.versions ?? 0} versions`}
        table={table}
      >
        <Lines>
          {steps.map((s) => (
            <Line key={s.name} number={`${s.median.toFixed(1)} days · ${s.versions}`}>
              {s.title}
            </Line>
          ))}
          {f.returned.map((r) => (
            <Line key={`returned ${r.name}`} number={r.count === 1 ? "once" : `${r.count} times`}>
              Returned: {r.title}
            </Line>
          ))}
        </Lines>
      </Card>
      <Card title="Who owns the most" says={`${f.no_deputy} entries have no deputy`} table={table}>
        <Lines>
          {f.owners.slice(0, 12).map((o) => (
            <Line key={o.name} number={o.stale ? `${o.entries}, ${o.stale} stale` : o.entries}>
              {o.full_name}
            </Line>
          ))}
        </Lines>
      </Card>
      <Card title="Owner left" table={table}>
        <Entries items={f.owner_left} none="Everything has an owner who is here." />
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
