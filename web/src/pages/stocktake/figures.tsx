import { decimals, whole } from "../../languages/figures";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import {
  tableOf,
  useCoverage,
  useFreshness,
  useGaps,
  useUseFigures,
  weeksOf,
  type Gap,
  type UseFigures,
  type Wanted,
} from "../../data/stocktake";
import { dateWords } from "../../data/times";
import { Trouble, Waiting } from "../../parts/basics";
import { Card, Line, Lines, Tile } from "./card";
import { Weekly } from "./drawings";
import { CoverageMap } from "./map";
import { Choose, Of } from "./period";

/** What works, what is missing and what has gone stale, at a glance. */
export function FiguresPage() {
  const [weeks, setWeeks] = useState(13);
  const [who, setWho] = useState<Wanted>({});
  const wanted = { ...who, ...weeksOf(weeks) };
  const use = useUseFigures(wanted, "entry");
  if (use.error) return <Trouble error={use.error} title={t`The figures cannot be shown`} />;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Figures</Trans>
          </h1>
          {use.data && <Of period={use.data.period} />}
        </div>
        <Choose weeks={weeks} setWeeks={setWeeks} wanted={who} setWanted={setWho} />
      </header>
      {use.data ? <Overview use={use.data} wanted={wanted} /> : <Waiting lines={12} />}
    </>
  );
}

function Overview({ use, wanted }: { use: UseFigures; wanted: Wanted }) {
  const fresh = useFreshness(wanted).data;
  const gaps = useGaps(wanted).data;
  const coverage = useCoverage(wanted, "department", "application");
  const shelf = fresh?.ages.reduce((n, a) => n + a.entries, 0) ?? 0;
  const toShelf = fresh?.to_shelf[0];
  return (
    <>
      <div className="mb-5 grid grid-cols-1 gap-4 sm:grid-cols-2 wide:grid-cols-4">
        <Tile
          number={whole(use.all.uses)}
          change={change(use.all.uses, use.all.before)}
          says={t`uses, by ${decimals(use.all.people / use.period.weeks, 0)} people in a usual week`}
        />
        <Tile number={`${shelf}`} says={t`on the shelf, ${fresh?.stale_all ?? 0} to look at again`} />
        <Tile
          number={toShelf?.versions ? t`${decimals(toShelf.median, 1)} days` : "–"}
          says={t`from draft to shelf, median of ${toShelf?.versions ?? 0}`}
        />
        <Tile
          number={`${gaps?.items.length ?? 0}`}
          says={t`things were searched for in vain, ${times(gaps?.items.reduce((n, g) => n + g.times + (g.unopened ?? 0), 0) ?? 0)}`}
        />
      </div>
      <div className="grid grid-cols-1 gap-5 wide:grid-cols-[3fr_2fr]">
        <div className="flex min-w-0 flex-col gap-5">
          <Card
            title={t`Departments by applications`}
            says={t`entries on the shelf`}
            table={tableOf("coverage", wanted)}
            name="coverage"
          >
            <Trouble error={coverage.error} />
            {coverage.data ? <CoverageMap coverage={coverage.data} /> : <Waiting lines={6} />}
          </Card>
          <Card
            title={t`Use by week`}
            says={t`all uses`}
            table={tableOf("use", wanted)}
            name="use-by-week"
            drawn
          >
            <Weekly
              weeks={use.weeks}
              uses={use.all.weekly}
              says={t`Uses by week: ${use.all.weekly.join(", ")}`}
            />
          </Card>
        </div>
        <div className="flex min-w-0 flex-col gap-5">
          <Card title={t`Most used`} table={tableOf("use", wanted)} name="most-used">
            <Lines>
              {use.items.slice(0, 6).map((u) => (
                <Line key={u.name} number={u.uses}>
                  <Link to="/entries/$slug" params={{ slug: u.name }} className="hover:underline">
                    {u.title}
                  </Link>
                </Line>
              ))}
            </Lines>
          </Card>
          <Card title={t`Searched for in vain`} table={tableOf("gaps", wanted)} name="gaps">
            <Gaps items={gaps?.items ?? []} />
          </Card>
          <FellShort use={use} />
        </div>
      </div>
    </>
  );
}

/** How much more or less something is than before, in words. */
function change(now: number, before: number): string | undefined {
  if (!before) return undefined;
  const percent = Math.round((100 * (now - before)) / before);
  return `${percent > 0 ? "+" : "−"}${Math.abs(percent)} %`;
}

const times = (n: number) => plural(n, { one: "once", other: "# times" });

/** How often something was not found, or found and not opened. */
function inVain(g: Gap): string {
  const unopened = g.unopened ?? 0;
  const left = plural(unopened, {
    one: "found once and nothing opened",
    other: "found # times and nothing opened",
  });
  if (g.times === 0) return left;
  return unopened ? t`${times(g.times)}, ${left}` : times(g.times);
}

function Gaps({ items }: { items: Gap[] }) {
  if (items.length === 0)
    return (
      <p className="px-4 py-3 text-faded">
        <Trans>Whatever was searched for was found.</Trans>
      </p>
    );
  return (
    <ul className="divide-y divide-line">
      {items.slice(0, 8).map((g) => (
        <li key={g.words} className="flex flex-wrap items-baseline gap-x-3 gap-y-1 px-4 py-2">
          <span className="min-w-0 basis-full">
            “{g.words}”{" "}
            <span className="text-small text-faded">
              <Trans>
                {inVain(g)}, last {dateWords(g.last)}
              </Trans>
              {g.others && t`; also ${g.others.map((o) => `“${o}”`).join(", ")}`}
            </span>
          </span>
          <Link
            to="/new"
            search={{ title: g.words }}
            className="text-small font-semibold text-gold hover:underline"
          >
            <Trans>Make an entry</Trans>
            <span className="sr-only">
              <Trans>for {g.words}</Trans>
            </span>
          </Link>
          <Link
            to="/settings/synonyms"
            search={{ means: g.words }}
            className="text-small font-semibold text-gold hover:underline"
          >
            <Trans>Means the same as…</Trans>
            <span className="sr-only"> {g.words}</span>
          </Link>
        </li>
      ))}
    </ul>
  );
}

function FellShort({ use }: { use: UseFigures }) {
  if (!use.fell_short?.length) return null;
  return (
    <Card title={t`Used, and fell short`}>
      <Lines>
        {use.fell_short.map((u) => (
          <Line key={u.name} number={t`${u.fell_short ?? 0} said so, ${u.worked ?? 0} that it worked`}>
            <Link to="/entries/$slug" params={{ slug: u.name }} className="hover:underline">
              {u.title}
            </Link>
          </Line>
        ))}
      </Lines>
    </Card>
  );
}
