import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useOwnership } from "../../data/people";
import { Trouble, Waiting } from "../../parts/basics";

const columns = [
  ["entries", t`Entries`],
  ["published", t`On the shelf`],
  ["open", t`Open`],
  ["stale", t`Stale`],
  ["orphans", t`Owner left`],
  ["no_deputy", t`No deputy`],
  ["owners", t`Owners`],
] as const;

/** What belongs to each department, in figures. */
export function DepartmentsPage() {
  const figures = useOwnership();
  if (figures.error) return <Trouble error={figures.error} />;
  if (!figures.data) return <Waiting lines={4} />;
  return (
    <section aria-labelledby="departments">
      <h1 id="departments" className="mb-5 text-title max-sm:text-head">
        <Trans>Departments</Trans>
      </h1>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={t`Departments in figures`}>
        <table className="w-full text-end">
          <thead>
            <tr className="border-b border-line text-small text-faded">
              <th className="py-1.5 pe-4 font-semibold">
                <Trans>Department</Trans>
              </th>
              {columns.map(([key, name]) => (
                <th key={key} className="px-2 py-1.5 font-semibold">
                  {name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {figures.data.items.map((d) => (
              <tr key={d.department} className="border-b border-line last:border-0">
                <th className="py-1.5 pe-4 font-normal">{d.title || t`None`}</th>
                {columns.map(([key]) => (
                  <td key={key} className={`px-2 py-1.5 tabular-nums ${d[key] === 0 ? "text-faded" : ""}`}>
                    {d[key]}
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
