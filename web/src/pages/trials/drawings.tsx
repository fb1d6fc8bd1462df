import { decimals, whole } from "../../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Ref } from "react";
import { percent, type Trial } from "../../data/trials";

const every = t`every expectation`;
const marks = ["●", "■", "▲", "◆", "○", "□", "△", "◇"]; // of set-ups: told apart without colours

export const markOf = (setUp: number) => marks[setUp % marks.length];

const hues = [
  "fill-gold",
  "fill-prompt",
  "fill-persona",
  "fill-style",
  "fill-snippet",
  "fill-sheet",
  "fill-relay",
  "fill-faded",
];
const strokes = [
  "stroke-gold",
  "stroke-prompt",
  "stroke-persona",
  "stroke-style",
  "stroke-snippet",
  "stroke-sheet",
  "stroke-relay",
  "stroke-faded",
];

const width = 1000;
const left = 330;
const right = 150;
const row = 20;

/** Each expectation's pass rate by set-up, with its interval, on one scale from 0 to 100 %. */
export function Rates({ trial, ref }: { trial: Trial; ref: Ref<SVGSVGElement> }) {
  const groups = [-1, ...trial.says.keys()].filter((e) =>
    trial.figures.rates.some((r) => r.expectation === e),
  );
  const says = (e: number) =>
    e >= 0 ? trial.says[e]! : trial.says.length === 1 ? trial.says[0]! : t`meets ${every}`;
  const step = trial.set_ups.length * row + 14;
  const legend = 30;
  const height = legend + groups.length * step + 26;
  const x = (share: number) => left + share * (width - left - right);
  return (
    <svg
      ref={ref}
      role="img"
      aria-label={t`Pass rates with 95 % intervals; the table of figures is in the JSON`}
      viewBox={`0 0 ${width} ${height}`}
      className="w-full min-w-[680px] font-sans text-[13px]"
    >
      {trial.set_ups.map((s, i) => (
        <text
          key={s}
          x={10 + i * (980 / trial.set_ups.length)}
          y={16}
          className={hues[i % hues.length]}
          fontWeight={600}
        >
          {markOf(i)} {s}
        </text>
      ))}
      {[0, 0.25, 0.5, 0.75, 1].map((share) => (
        <g key={share}>
          <line
            x1={x(share)}
            x2={x(share)}
            y1={legend}
            y2={height - 22}
            className="stroke-line"
            strokeWidth={1}
          />
          <text x={x(share)} y={height - 6} textAnchor="middle" className="fill-faded">
            {percent(share)}
          </text>
        </g>
      ))}
      {groups.map((e, g) => {
        const top = legend + g * step;
        return (
          <g key={e}>
            <text x={10} y={top + 18} className="fill-ink" fontWeight={e < 0 ? 600 : 400}>
              {shortened(says(e), 46)}
            </text>
            {trial.set_ups.map((_, s) => {
              const r = trial.figures.rates.find((f) => f.expectation === e && f.set_up === s);
              if (!r || r.of === 0) return null;
              const y = top + s * row + 14;
              return (
                <g key={s}>
                  <line
                    x1={x(r.interval.low)}
                    x2={x(r.interval.high)}
                    y1={y}
                    y2={y}
                    className={strokes[s % strokes.length]}
                    strokeWidth={3}
                  />
                  <text
                    x={x(r.value)}
                    y={y + 5}
                    textAnchor="middle"
                    className={hues[s % hues.length]}
                    fontSize={16}
                  >
                    {markOf(s)}
                  </text>
                  <text x={width - right + 14} y={y + 5} className="fill-ink">
                    <Trans>
                      {percent(r.value)}, {r.met} of {r.of}
                    </Trans>
                  </text>
                </g>
              );
            })}
          </g>
        );
      })}
    </svg>
  );
}

function shortened(text: string, most: number): string {
  return text.length > most ? text.slice(0, most - 1) + "…" : text;
}

const titles: Record<string, [string, string]> = {
  words: [t`Length`, t`words`],
  seconds: [t`Time`, t`seconds`],
  tokens: [t`Tokens written`, t`tokens`],
  cost: [t`Cost of a reply`, ""],
};

/** Length, time, tokens and cost: the middle half of each set-up's replies, and their median. */
export function Distributions({ trial }: { trial: Trial }) {
  const measures = [...new Set(trial.figures.distributions.map((d) => d.measure))];
  if (trial.done === 0) return null;
  return (
    <section aria-labelledby="measures" className="mb-8">
      <h2 id="measures" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Length, time and cost</Trans>
      </h2>
      <div className="grid gap-x-8 gap-y-5 wide:grid-cols-2">
        {measures.map((m) => {
          const all = trial.figures.distributions.filter((d) => d.measure === m && d.of > 0);
          const most = Math.max(...all.map((d) => d.high), 0) || 1;
          return (
            <figure key={m}>
              <figcaption className="font-semibold">
                {titles[m]![0]}
                <span className="ms-2 text-small font-normal text-faded">
                  {m === "cost" ? trial.currency : titles[m]![1]}
                  <Trans>, the middle half and the median</Trans>
                </span>
              </figcaption>
              {all.map((d) => (
                <p key={d.set_up} className="flex items-center gap-3 text-small">
                  <span className="w-36 truncate">
                    {markOf(d.set_up)} {trial.set_ups[d.set_up]}
                  </span>
                  <span aria-hidden className="relative h-4 flex-1 border-b border-line">
                    <span
                      className="absolute inset-y-0.5 rounded-[2px] bg-wash outline outline-gilt"
                      style={{
                        left: `${(100 * d.low) / most}%`,
                        width: `${(100 * (d.high - d.low)) / most}%`,
                      }}
                    />
                    <span
                      className="absolute inset-y-0 w-0.5 bg-ink"
                      style={{ left: `calc(${(100 * d.median) / most}% - 1px)` }}
                    />
                  </span>
                  <span className="w-52 text-end whitespace-nowrap tabular-nums">
                    {figure(d.median)} ({figure(d.low)}–{figure(d.high)})
                  </span>
                </p>
              ))}
              {trial.figures.shifts
                .filter((s) => s.measure === m && s.verdict === "difference")
                .map((s) => (
                  <p key={`${s.first}-${s.second}`} className="text-small text-faded">
                    {s.value < 0
                      ? t`${trial.set_ups[s.first] ?? ""} has ${figure(Math.abs(s.value))} less than ${trial.set_ups[s.second] ?? ""}, in the middle of ${s.fills} fills; that is unlikely to be chance.`
                      : t`${trial.set_ups[s.first] ?? ""} has ${figure(Math.abs(s.value))} more than ${trial.set_ups[s.second] ?? ""}, in the middle of ${s.fills} fills; that is unlikely to be chance.`}
                  </p>
                ))}
            </figure>
          );
        })}
      </div>
    </section>
  );
}

export function figure(n: number): string {
  if (n === 0) return "0";
  if (n < 0.1) return n.toPrecision(2);
  return n < 10 ? decimals(n, 1) : whole(n);
}
