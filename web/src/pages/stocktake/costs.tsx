import { locale } from "../../languages/languages";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { components } from "../../data/schema";
import { tableOf, useCosts, weeksOf } from "../../data/stocktake";
import { dateWords } from "../../data/times";
import { Trouble, Waiting } from "../../parts/basics";
import { Bulk } from "../../parts/bulk/bulk";
import { listed } from "../../parts/bulk/plan";
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
          <h1 className="text-title max-sm:text-head">
            <Trans>Costs</Trans>
          </h1>
          {costs.data && <Of period={costs.data.period} />}
        </div>
        <Choose weeks={weeks} setWeeks={setWeeks} />
      </header>
      <Trouble error={costs.error} title={t`The figures cannot be shown`} />
      {costs.data ? <Shown c={costs.data} table={tableOf("costs", wanted)} /> : <Waiting lines={10} />}
    </>
  );
}

const ways: Record<string, string> = { talk: t`Talks`, trial: t`Trials`, run: t`Runs of relays` };

function Shown({ c, table }: { c: Costs; table: string }) {
  const money = (n?: number) =>
    n === undefined
      ? ""
      : new Intl.NumberFormat(locale(), { style: "currency", currency: c.currency }).format(n);
  const fine = (n: number) =>
    new Intl.NumberFormat(locale(), {
      style: "currency",
      currency: c.currency,
      maximumFractionDigits: 4,
    }).format(n);
  const month = c.items.reduce((n, it) => n + (it.month ?? 0), 0);
  return (
    <>
      <div className="mb-5 grid grid-cols-1 gap-4 sm:grid-cols-3">
        <Tile
          number={money(month)}
          says={c.cap === undefined ? t`a month, of the register` : t`a month, of a cap of ${money(c.cap)}`}
        />
        <Tile number={money(c.spent)} says={t`on replies of models, in these months`} />
        <Tile number={`${c.idle.length}`} says={t`entries that nobody has used in these weeks`} />
      </div>
      <div className="grid grid-cols-1 items-start gap-5 wide:grid-cols-2">
        <Card title={t`By application and model`} says={t`a month; and what a use has cost`} table={table}>
          <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={t`Costs in numbers`}>
            <table className="w-full text-end tabular-nums">
              <thead>
                <tr className="border-b border-line text-small text-faded">
                  <th className="py-1.5 ps-4 font-semibold">
                    <Trans>What</Trans>
                  </th>
                  <th className="px-3 font-semibold">
                    <Trans>A month</Trans>
                  </th>
                  <th className="px-3 font-semibold">
                    <Trans>Uses</Trans>
                  </th>
                  <th className="px-3 font-semibold">
                    <Trans>Each</Trans>
                  </th>
                </tr>
              </thead>
              <tbody>
                {c.items.map((it) => (
                  <tr key={it.facet + it.name} className="border-b border-line last:border-0">
                    <th className="py-1.5 ps-4 font-normal">
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
        <Card title={t`Spent on models`} says={t`by department`} table={table}>
          {c.teams.length === 0 && <Nothing />}
          <Lines>
            {c.teams.map((team) => (
              <Line key={team.name} number={t`${money(team.cost)} · ${team.replies} replies`}>
                {team.title}
              </Line>
            ))}
          </Lines>
        </Card>
        <Card title={t`What models were asked for`} table={table}>
          {c.ways.length === 0 && <Nothing />}
          {c.ways.length === 0 && <Nothing />}
          <Lines>
            {c.ways.map((w) => (
              <Line key={w.name} number={t`${money(w.cost)} · ${w.replies} replies`}>
                {ways[w.name] ?? w.title}
              </Line>
            ))}
          </Lines>
        </Card>
        <Card title={t`With which entries`} says={t`and what a reply has cost on the average`} table={table}>
          {c.entries.length === 0 && <Nothing />}
          {c.entries.length === 0 && <Nothing />}
          <Lines>
            {c.entries.slice(0, 20).map((e) => (
              <Line key={e.slug} number={t`${money(e.cost)} · ${e.replies} replies, ${fine(e.each)} each`}>
                <Link to="/entries/$slug" params={{ slug: e.slug }} className="hover:underline">
                  {e.title}
                </Link>
              </Line>
            ))}
          </Lines>
        </Card>
        <Card
          title={t`Used by nobody`}
          does={<Bulk entries={listed(c.idle)} can={["label", "transfer", "renew", "retire"]} />}
          says={t`the longest on the shelf first`}
          table={table}
        >
          <Lines>
            {c.idle.slice(0, 20).map((e) => (
              <Line key={e.slug} number={t`since ${dateWords(e.day)}`}>
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

const Nothing = () => (
  <p className="px-4 py-3 text-faded">
    <Trans>Nothing yet.</Trans>
  </p>
);
