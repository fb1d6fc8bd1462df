import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Trial, TrialCell } from "../../data/trials";
import { markOf } from "./drawings";

/** Fills down, set-ups across: how many replies of each cell meet every expectation. */
export function Grid({ trial, open }: { trial: Trial; open: (fill: number, setUp: number) => void }) {
  const across = trial.set_ups.length;
  return (
    <section aria-labelledby="grid" className="mb-8">
      <h2 id="grid" className="mb-2 border-b-2 border-gilt pb-1 text-lead">
        {trial.private ? t`Each row` : t`Every fill under every set-up`}
      </h2>
      <div
        className="max-h-[36rem] overflow-auto"
        tabIndex={0}
        role="region"
        aria-label={t`Every fill under every set-up`}
      >
        <table className="w-full">
          <thead className="sticky top-0 bg-paper">
            <tr className="text-small text-faded">
              <th className="py-1.5 pe-3 font-semibold">
                <Trans>Fill</Trans>
              </th>
              {trial.set_ups.map((s, i) => (
                <th key={s} className="pe-3 font-semibold">
                  {markOf(i)} {s}
                </th>
              ))}
            </tr>
          </thead>
          <tbody className="divide-y divide-line">
            {trial.plan.fills.map((f, row) => (
              <tr key={f.name}>
                <th scope="row" className="py-1 pe-3 font-normal">
                  {f.name}
                </th>
                {trial.set_ups.map((s, column) => (
                  <td key={s} className="py-1 pe-3">
                    <Square
                      cell={trial.cells[row * across + column]!}
                      expected={trial.says.length > 0}
                      name={`${f.name}, ${s}`}
                      open={() => open(row, column)}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Square({
  cell: c,
  expected,
  name,
  open,
}: {
  cell: TrialCell;
  expected: boolean;
  name: string;
  open: () => void;
}) {
  const share = c.known > 0 ? c.met / c.known : 0;
  const rest = [
    c.awaited > 0 && t`${c.awaited} to come`,
    c.failed > 0 && t`${c.failed} failed`,
    c.stopped > 0 && t`${c.stopped} stopped`,
  ].filter(Boolean);
  const done = c.replies - c.awaited - c.failed - c.stopped;
  const words = expected
    ? c.known > 0
      ? t`${c.met} of ${c.known}`
      : done > 0
        ? t`to be judged`
        : "–"
    : t`${done} of ${c.replies}`;
  return (
    <button
      type="button"
      onClick={open}
      aria-label={`${name}: ${words}${rest.length > 0 ? `, ${rest.join(", ")}` : ""}`}
      className="flex w-full max-w-64 items-center gap-2 rounded-field border border-line bg-leaf px-2 py-1 text-start text-small hover:bg-wash"
    >
      <span
        aria-hidden
        className="relative h-2.5 w-20 overflow-hidden rounded-full border border-line bg-paper"
      >
        <span className="absolute inset-y-0 start-0 bg-gilt" style={{ width: `${100 * share}%` }} />
      </span>
      <span className="tabular-nums">{words}</span>
      {rest.length > 0 && <span className="text-faded">{rest.join(", ")}</span>}
    </button>
  );
}
