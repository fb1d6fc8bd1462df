import { listWords } from "../languages/figures";
import { t } from "@lingui/core/macro";
import type { RunLayout } from "../data/runs";

const rowHeight = 92;
const boxHeight = 52;

export interface FlowStep extends RunLayout {
  state?: string;
}

const signs: Record<string, string> = { done: "✓", asked: "…", failed: "!", stopped: "–" };
const stateWords: Record<string, string> = {
  done: t`done`,
  asked: t`being asked`,
  failed: t`failed`,
  stopped: t`stopped`,
  waiting: t`waits`,
};

/** The steps of a relay as they run, from top to bottom, with what flows where. */
export function Flow({ steps, width = 320 }: { steps: FlowStep[]; width?: number }) {
  const waves = Math.max(0, ...steps.map((s) => s.wave + 1));
  const place = new Map<string, { x: number; y: number; wide: number }>();
  for (let n = 0; n < waves; n++) {
    const row = steps.filter((s) => s.wave === n);
    const wide = Math.min(190, (width - 12 * (row.length - 1)) / Math.max(1, row.length));
    const all = row.length * wide + (row.length - 1) * 12;
    row.forEach((s, i) =>
      place.set(s.name, { x: (width - all) / 2 + i * (wide + 12), y: n * rowHeight, wide }),
    );
  }
  const height = Math.max(boxHeight, (waves - 1) * rowHeight + boxHeight);
  const said = steps
    .map((s) => (s.takes.length > 0 ? t`${s.name} takes ${listWords(s.takes)}` : t`${s.name} begins`))
    .join("; ");
  return (
    <svg
      role="img"
      aria-label={t`What flows where: ${said}`}
      viewBox={`-2 -2 ${width + 4} ${height + 4}`}
      className="w-full max-w-[420px]"
    >
      {steps.flatMap((s) =>
        s.takes.map((t) => {
          const from = place.get(t);
          const to = place.get(s.name);
          if (!from || !to) return null;
          const [x1, y1, x2, y2] = [from.x + from.wide / 2, from.y + boxHeight, to.x + to.wide / 2, to.y];
          const bend = Math.max(18, (y2 - y1) / 2);
          return (
            <g key={`${t}-${s.name}`} className="fill-none stroke-faded" strokeWidth={1.5}>
              <path
                d={`M${x1},${y1} C${x1},${y1 + bend} ${x2},${y2 - bend} ${x2},${y2 - 3}`}
                strokeDasharray={s.over?.step === t ? "5 4" : undefined}
              />
              <path d={`M${x2 - 4},${y2 - 7} l4,5 l4,-5`} />
            </g>
          );
        }),
      )}
      {steps.map((s) => {
        const at = place.get(s.name);
        if (!at) return null;
        return (
          <g key={s.name} transform={`translate(${at.x},${at.y})`}>
            <rect
              width={at.wide}
              height={boxHeight}
              rx={6}
              className={`fill-leaf ${s.state === "failed" ? "stroke-stop" : s.state === "asked" ? "stroke-gold" : "stroke-line"}`}
              strokeWidth={s.state === "asked" ? 2 : 1.5}
            />
            <text x={10} y={21} className="fill-ink text-[14px] font-semibold">
              {s.state && signs[s.state] ? `${signs[s.state]} ` : ""}
              {cut(s.name, at.wide, 8.5)}
              {s.state && <title>{stateWords[s.state]}</title>}
            </text>
            <text x={10} y={40} className="fill-faded text-[12px]">
              {cut(s.title || s.use, at.wide, 6.6)}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

function cut(text: string, wide: number, letter: number): string {
  const most = Math.floor((wide - 24) / letter);
  return text.length > most ? `${text.slice(0, Math.max(1, most - 1))}…` : text;
}
