import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import type { Coverage } from "../../data/stocktake";

type Cell = Coverage["cells"][number];

/** Two facets' terms against each other. A field opens into its entries. */
export function CoverageMap({ coverage: c }: { coverage: Coverage }) {
  const at = new Map(c.cells.map((cell) => [`${cell.row}\n${cell.column}`, cell]));
  const most = Math.max(1, ...c.cells.map((cell) => cell.entries));
  const withNone = (terms: { name: string; title: string }[], of: "row" | "column") =>
    c.cells.some((cell) => cell[of] === "") ? [...terms, { name: "", title: t`None` }] : terms;
  const columns = withNone(c.columns.terms, "column");
  return (
    <div className="relative overflow-x-auto px-3 py-2" tabIndex={0} role="region" aria-label={t`Coverage`}>
      <table className="w-full border-separate border-spacing-1 text-center">
        <thead>
          <tr className="text-small text-faded">
            <td />
            {columns.map((t) => (
              <th key={t.name} scope="col" className="px-1 py-1 text-center font-normal">
                {t.title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {withNone(c.rows.terms, "row").map((r) => (
            <tr key={r.name}>
              <th scope="row" className="pe-2 text-small font-normal whitespace-nowrap">
                {r.title}
              </th>
              {columns.map((t) => (
                <td key={t.name} className="p-0">
                  <Field
                    cell={at.get(`${r.name}\n${t.name}`)}
                    most={most}
                    labels={{ [c.rows.name]: r.name, [c.columns.name]: t.name }}
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function Field({ cell, most, labels }: { cell?: Cell; most: number; labels: Record<string, string> }) {
  if (!cell) return <span className="block rounded-field py-1.5 text-faded">·</span>;
  const share = Math.round(10 + (30 * cell.entries) / most);
  const says = t`${cell.entries} on the shelf, ${cell.fresh} of them fresh, ${cell.used} used`;
  const look = "block min-w-14 rounded-field py-1.5 tabular-nums text-ink";
  const ground = {
    background: `color-mix(in oklab, var(--gilt) ${share}%, var(--leaf))`,
    printColorAdjust: "exact" as const, // it says how many
  };
  const text = (
    <>
      <b>{cell.entries}</b>
      {cell.used < cell.entries && (
        <span className="ms-1 text-[11px]" aria-hidden>
          <Trans>{cell.used} used</Trans>
        </span>
      )}
      <span className="sr-only">: {says}</span>
    </>
  );
  // What has no term is found by none.
  if (Object.values(labels).includes("")) {
    return (
      <span className={look} style={ground} title={says}>
        {text}
      </span>
    );
  }
  return (
    <Link
      to="/"
      search={Object.fromEntries(Object.entries(labels).map(([f, t]) => [f, [t]]))}
      className={look}
      style={ground}
      title={says}
    >
      {text}
    </Link>
  );
}
