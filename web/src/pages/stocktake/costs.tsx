import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { components } from "../../data/schema";
import { tableOf, useCosts, weeksOf } from "../../data/stocktake";
import { dateWords } from "../../data/times";
import { Trouble, Waiting } from "../../parts/basics";
import { Card, Line, Lines, Tile } from "./card";
import { Choose, Of } from "./period";

type Costs = components["schemas"]["Costs"];

/** What applications and models cost, by what they are used. */
export function CostsPage() {
  const [weeks, setWeeks] = useState(13);
  const wanted = weeksOf(weeks);
  const costs = useCosts(wanted);
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="flex-1">
          <h1 className="text-title max-sm:text-head">Costs</h1>
          {costs.data && <Of period={costs.data.period} />}
        </div>
        <Choose weeks={weeks} setWeeks={setWeeks} />
      </header>
      <Trouble error={costs.error} title="The figures cannot be shown" />
      {costs.data ? <Shown c={costs.data} table={tableOf("costs", wanted)} /> : <Waiting lines={10} />}
    </>
  );
}

function Shown({ c, table }: { c: Costs; table: string }) {
  const money = (n?: number) =>
    n === undefined
      ? ""
      : new Intl.NumberFormat("en-GB", { style: "currency", currency: c.currency }).format(n);
  const month = c.items.reduce((n, it) => n + (it.month ?? 0), 0);
  return (
    <>
      <div className="mb-5 grid grid-cols-1 gap-4 sm:grid-cols-3">
        <Tile
          number={money(month)}
          says={c.cap === undefined ? "a month, of the register" : `a month, of a cap of ${money(c.cap)}`}
        />
        <Tile number={money(c.spent)} says="on replies of models, in these months" />
        <Tile number={`${c.idle.length}`} says="entries that nobody has used in these weeks" />
      </div>
      <div className="grid grid-cols-1 items-start gap-5 wide:grid-cols-2">
        <Card title="By application and model" says="a month; and what a use has cost" table={table}>
          <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Costs in numbers">
            <table className="w-full text-right tabular-nums">
              <thead>
                <tr className="border-b border-line text-small text-faded">
                  <th className="py-1.5 pl-4 text-left font-semibold">What</th>
                  <th className="px-3 font-semibold">A month</th>
                  <th className="px-3 font-semibold">Uses</th>
                  <th className="px-3 font-semibold">Each</th>
                </tr>
              </thead>
              <tbody>
                {c.items.map((it) => (
                  <tr key={it.facet + it.name} className="border-b border-line last:border-0">
                    <th className="py-1.5 pl-4 text-left font-normal">
                      {it.title} <span className="text-small text-faded">{it.facet}</span>
                    </th>
                    <td className="px-3">{money(it.month)}</td>
                    <td className="px-3">{it.uses}</td>
                    <td className="px-3">{money(it.per_use)}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        </Card>
        <Card title="Spent on models" says="by department" table={table}>
          {c.teams.length === 0 && <p className="px-4 py-3 text-faded">Nothing yet.</p>}
          <Lines>
            {c.teams.map((t) => (
              <Line key={t.name} number={`${money(t.cost)} · ${t.replies} replies`}>
                {t.title}
              </Line>
            ))}
          </Lines>
        </Card>
        <Card title="Used by nobody" says="the longest on the shelf first" table={table}>
          <Lines>
            {c.idle.slice(0, 20).map((e) => (
              <Line key={e.slug} number={`since ${dateWords(e.day)}`}>
                <Link to="/entries/$slug" params={{ slug: e.slug }} className="hover:underline">
                  {e.title}
                </Link>
              </Line>
            ))}
          </Lines>
        </Card>
      </div>
    </>
  );
}
