import { useOwnership } from "../../data/people";
import { Trouble, Waiting } from "../../parts/basics";

const columns = [
  ["entries", "Entries"],
  ["published", "On the shelf"],
  ["open", "Open"],
  ["stale", "Stale"],
  ["orphans", "Owner left"],
  ["no_deputy", "No deputy"],
  ["owners", "Owners"],
] as const;

/** What belongs to each department, in figures. */
export function DepartmentsPage() {
  const figures = useOwnership();
  if (figures.error) return <Trouble error={figures.error} />;
  if (!figures.data) return <Waiting lines={4} />;
  return (
    <section aria-labelledby="departments">
      <h1 id="departments" className="mb-5 text-title max-sm:text-head">
        Departments
      </h1>
      <div className="overflow-x-auto" tabIndex={0} role="region" aria-label="Departments in figures">
        <table className="w-full text-right">
          <thead>
            <tr className="border-b border-line text-small text-faded">
              <th className="py-1.5 pr-4 text-left font-semibold">Department</th>
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
                <th className="py-1.5 pr-4 text-left font-normal">{d.title || "None"}</th>
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
