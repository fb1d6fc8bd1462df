import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import {
  tableOf,
  useUseFigures,
  weeksOf,
  type By,
  type UseFigures,
  type UseSeries,
  type Wanted,
} from "../../data/stocktake";
import { fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Bulk } from "../../parts/bulk/bulk";
import { exportOf, listed } from "../../parts/bulk/plan";
import { Card, Line, Lines } from "./card";
import { Bars, Weekly } from "./drawings";
import { Choose, Of } from "./period";

const ways: [By, string][] = [
  ["entry", t`By entry`],
  ["department", t`By department`],
  ["application", t`By application`],
  ["kind", t`By kind`],
];

/** What is used, by how many, and what never is. */
export function UsePage() {
  const [weeks, setWeeks] = useState(13);
  const [who, setWho] = useState<Wanted>({});
  const [by, setBy] = useState<By>("entry");
  const wanted = { ...who, ...weeksOf(weeks) };
  const use = useUseFigures(wanted, by);
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Use</Trans>
          </h1>
          {use.data && <Of period={use.data.period} />}
        </div>
        <select
          aria-label={t`By what`}
          className={`${fieldLook} !w-auto print:hidden`}
          value={by}
          onChange={(e) => setBy(e.target.value as By)}
        >
          {ways.map(([value, title]) => (
            <option key={value} value={value}>
              {title}
            </option>
          ))}
        </select>
        <Choose
          weeks={weeks}
          setWeeks={setWeeks}
          wanted={by === "entry" ? who : undefined}
          setWanted={setWho}
        />
      </header>
      <Trouble error={use.error} title={t`The figures cannot be shown`} />
      {use.data ? <Shown use={use.data} by={by} wanted={wanted} /> : <Waiting lines={12} />}
    </>
  );
}

function Shown({ use, by, wanted }: { use: UseFigures; by: By; wanted: Wanted }) {
  const title = ways.find(([value]) => value === by)![1];
  const first = use.items.slice(0, 12);
  return (
    <div className="flex flex-col gap-5">
      <div className="grid grid-cols-1 items-start gap-5 wide:grid-cols-2">
        <Card
          title={t`Use by week`}
          says={t`all uses`}
          table={tableOf("use", wanted, { by })}
          name="use-by-week"
          drawn
        >
          <Weekly
            weeks={use.weeks}
            uses={use.all.weekly}
            says={t`Uses by week: ${use.all.weekly.join(", ")}`}
          />
        </Card>
        <Card
          title={title}
          says={t`uses; dashed: as many weeks before`}
          table={tableOf("use", wanted, { by })}
          name="use"
          drawn
        >
          <Bars
            rows={first.map((u) => ({ name: u.title, value: u.uses, before: u.before }))}
            second={t`Before`}
            says={t`Uses: ${first.map((u) => t`${u.title} ${u.uses}, before ${u.before}`).join("; ")}`}
          />
        </Card>
      </div>
      <Card
        title={t`In numbers`}
        says={t`people are counted anew each week, and nobody for what they answer for`}
        table={tableOf("use", wanted, { by })}
        name="use"
      >
        <Table items={use.items} entries={by === "entry"} />
        {!!use.more && (
          <p className="px-4 py-2 text-small text-faded">
            <Trans>And {use.more} more.</Trans>
          </p>
        )}
      </Card>
      {by === "entry" && <Rest use={use} />}
    </div>
  );
}

const changes = { more: t`↑ more`, less: t`↓ less`, new: t`new` } as const;

function Table({ items, entries }: { items: UseSeries[]; entries: boolean }) {
  return (
    <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={t`Use in numbers`}>
      <table className="w-full text-end tabular-nums">
        <thead>
          <tr className="border-b border-line text-small text-faded">
            <th className="py-1.5 ps-4 font-semibold">
              <Trans>What</Trans>
            </th>
            {[t`Uses`, t`Before`, t`People`, t`Change`].map((h) => (
              <th key={h} className="px-3 py-1.5 font-semibold">
                {h}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {items.map((u) => (
            <tr key={u.name} className="border-b border-line last:border-0">
              <th className="py-1.5 ps-4 font-normal">
                {entries ? (
                  <Link to="/entries/$slug" params={{ slug: u.name }} className="hover:underline">
                    {u.title}
                  </Link>
                ) : (
                  u.title
                )}
              </th>
              <td className="px-3">{u.uses}</td>
              <td className="px-3 text-faded">{u.before}</td>
              <td className="px-3">{u.people}</td>
              <td className="px-3 text-small">{u.change && changes[u.change]}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Rest({ use }: { use: UseFigures }) {
  const never = use.never ?? [];
  return (
    <div className="grid grid-cols-1 items-start gap-5 wide:grid-cols-2">
      <Card
        title={t`Never used`}
        says={t`${never.length + (use.never_more ?? 0)} entries in these weeks`}
        does={
          <Bulk
            entries={listed(never)}
            can={["label", "transfer", "renew", "retire"]}
            exported={exportOf(never)}
          />
        }
      >
        <Lines>
          {never.slice(0, 20).map((it) => (
            <Line key={it.slug} number={it.owner_name}>
              <Link to="/entries/$slug" params={{ slug: it.slug }} className="hover:underline">
                {it.title}
              </Link>
            </Line>
          ))}
        </Lines>
      </Card>
      <Card title={t`With another persona`} says={t`than the entry recommends`}>
        {!use.swapped?.length && (
          <p className="px-4 py-3 text-faded">
            <Trans>Whoever used an entry left its persona.</Trans>
          </p>
        )}
        <Lines>
          {use.swapped?.map((s) => (
            <Line key={s.slug + s.persona} number={t`${s.uses} of ${s.of}`}>
              {s.title}{" "}
              <span className="text-small text-faded">
                {s.persona === "none" ? t`without one` : t`with ${s.persona}`}
              </span>
            </Line>
          ))}
        </Lines>
      </Card>
    </div>
  );
}
