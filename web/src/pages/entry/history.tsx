import { useVersions } from "../../data/hooks";
import { DateStack } from "../../parts/datestack";
import { Trouble } from "../../parts/basics";

export function History({ slug }: { slug: string }) {
  const versions = useVersions(slug);
  return (
    <section aria-labelledby="history" className="mt-10">
      <h2 id="history" className="mb-4 border-b-2 border-gilt pb-1 text-lead">
        History
      </h2>
      <Trouble error={versions.error} title="The history could not be read" />
      {versions.data && <DateStack versions={versions.data.items} />}
    </section>
  );
}
