import { measured } from "../../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { useShelfEntry } from "../../data/hooks";
import { useStyleFigures, type Figure } from "../../data/voices";
import { Trouble, Waiting } from "../../parts/basics";
import { EntryField } from "../../parts/entryfield";

/** A style beside another: each figure of both on one scale, what is furthest apart first. */
export function TwoStyles({ slug, title, figures }: { slug: string; title: string; figures: Figure[] }) {
  const [other, setOther] = useState("");
  const theirs = useStyleFigures(other, other !== "");
  const name = useShelfEntry(other, false, other !== "").data?.title ?? other;
  return (
    <section aria-labelledby="two-styles" className="mt-8">
      <h2 id="two-styles" className="mb-2 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Beside another style</Trans>
      </h2>
      <div className="mb-4 max-w-80">
        <EntryField
          label={t`Another style`}
          kind="style"
          value={other}
          set={(s) => setOther(s === slug ? "" : s)}
        />
      </div>
      {theirs.error && <Trouble error={theirs.error} title={t`It cannot be measured`} />}
      {other && !theirs.data && !theirs.error && <Waiting lines={6} />}
      {theirs.data && (
        <>
          {theirs.data.samples === 0 && (
            <p className="text-faded">
              <Trans>That style has no samples yet.</Trans>
            </p>
          )}
          {theirs.data.samples > 0 && (
            <Drawing ours={figures} theirs={theirs.data.measured.figures} names={[title, name]} />
          )}
        </>
      )}
    </section>
  );
}

interface Pair {
  name: string;
  title: string;
  unit: string;
  a: Figure;
  b: Figure;
  apart: number; // how far, in widths of the wider interval; above 1 they do not touch
}

function pairsOf(ours: Figure[], theirs: Figure[]): Pair[] {
  return ours
    .flatMap((a) => {
      const b = theirs.find((t) => t.name === a.name);
      if (!b || a.value === undefined || b.value === undefined) return [];
      if (a.value === b.value && a.low === b.low && a.high === b.high) return []; // nothing to tell apart
      return [{ name: a.name, title: a.title, unit: a.unit, a, b, apart: apartness(a, b) }];
    })
    .sort((x, y) => y.apart - x.apart);
}

function apartness(a: Figure, b: Figure): number {
  if (a.low === undefined || b.low === undefined) return 0;
  const half = (f: Figure) => ((f.high ?? 0) - (f.low ?? 0)) / 2;
  const gap = Math.abs((a.value ?? 0) - (b.value ?? 0));
  return gap === 0 ? 0 : gap / Math.max(half(a) + half(b), 1e-9);
}

/** Two bands a figure on one scale: the upper one is ours, filled; the lower one theirs, outlined. */
function Drawing({ ours, theirs, names }: { ours: Figure[]; theirs: Figure[]; names: [string, string] }) {
  const pairs = pairsOf(ours, theirs);
  const clear = pairs.filter((p) => p.apart > 1).length;
  return (
    <>
      <p className="mb-3">
        {clear === 0
          ? t`By their figures one could be taken for the other.`
          : t`${clear} figures are further apart than chance would put them; what is not shown is the same of both.`}
      </p>
      <p className="mb-2 flex flex-wrap gap-x-6 text-small">
        <span className="flex items-center gap-2">
          <span aria-hidden className="h-2 w-8 rounded-full bg-gilt" /> {names[0]}
        </span>
        <span className="flex items-center gap-2">
          <span aria-hidden className="h-2 w-8 rounded-full border-2 border-ink" /> {names[1]}
        </span>
      </p>
      <div
        className="overflow-x-auto"
        tabIndex={0}
        role="region"
        aria-label={t`Both styles, figure by figure`}
      >
        <table className="w-full text-small">
          <thead>
            <tr className="text-faded">
              <th className="py-1.5 pe-3 font-semibold">
                <Trans>Figure</Trans>
              </th>
              <th className="w-2/5 min-w-48 pe-3 font-semibold">
                <Trans>Both, with 95 % intervals</Trans>
              </th>
              <th className="pe-3 text-end font-semibold">{names[0]}</th>
              <th className="pe-3 text-end font-semibold">{names[1]}</th>
              <th className="font-semibold">
                <Trans>Of</Trans>
              </th>
            </tr>
          </thead>
          <tbody className="divide-y divide-line">
            {pairs.map((p) => (
              <tr key={p.name}>
                <th scope="row" className="py-1.5 pe-3 font-normal">
                  {p.title} {p.apart > 1 && <b title={t`Further apart than chance`}>≠</b>}
                </th>
                <td className="pe-3">
                  <Bands pair={p} />
                </td>
                <td className="pe-3 text-end tabular-nums">{said(p.a)}</td>
                <td className="pe-3 text-end tabular-nums">{said(p.b)}</td>
                <td className="text-faded">{p.unit}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}

function said(f: Figure): string {
  const value = f.value === undefined ? "–" : measured(f.value);
  return f.low === undefined || f.high === undefined
    ? value
    : `${value} (${measured(f.low)}–${measured(f.high)})`;
}

function Bands({ pair: { a, b } }: { pair: Pair }) {
  const ends = [a, b].flatMap((f) => [f.low ?? f.value ?? 0, f.high ?? f.value ?? 0]);
  const low = Math.min(...ends);
  const span = Math.max(...ends) - low || 1;
  const at = (n: number) => 4 + (92 * (n - low)) / span; // per cent, with room for the marks
  const band = (f: Figure, look: string, top: string) => {
    const from = at(f.low ?? f.value ?? 0);
    const to = at(f.high ?? f.value ?? 0);
    return (
      <span
        className={`absolute h-2 rounded-full ${look} ${top}`}
        style={{ left: `${from}%`, width: `max(8px, ${to - from}%)` }}
      />
    );
  };
  return (
    <span aria-hidden className="relative block h-7 w-full border-x border-line">
      {band(a, "bg-gilt", "top-1")}
      {band(b, "border-2 border-ink", "bottom-1")}
    </span>
  );
}
