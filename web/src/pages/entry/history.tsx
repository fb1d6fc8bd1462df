import { useState } from "react";
import { useDiff, useVersions } from "../../data/hooks";
import { Choice } from "../../parts/choice";
import { DateStack } from "../../parts/datestack";
import { Difference, FieldChanges } from "../../parts/difference";
import { Trouble, Waiting } from "../../parts/basics";

/** The versions as stops; two that are picked show what changed between them. */
export function History({ slug }: { slug: string }) {
  const versions = useVersions(slug);
  const [picked, setPicked] = useState<number[]>([]);
  const pick = (n: number) =>
    setPicked(picked.includes(n) ? picked.filter((p) => p !== n) : [...picked, n].slice(-2));
  const [from, to] = [...picked].sort((a, b) => a - b);
  const several = (versions.data?.items.length ?? 0) > 1;
  return (
    <section aria-labelledby="history" className="mt-10">
      <h2 id="history" className="mb-4 border-b-2 border-gilt pb-1 text-lead">
        History
      </h2>
      <Trouble error={versions.error} title="The history could not be read" />
      {versions.data && (
        <div className="grid items-start gap-7 wide:grid-cols-[minmax(220px,1fr)_2fr]">
          <div>
            {several && <p className="mb-3 text-small text-faded">Pick two versions to compare them.</p>}
            <DateStack
              versions={versions.data.items}
              picked={several ? picked : undefined}
              pick={several ? pick : undefined}
            />
          </div>
          {from !== undefined && to !== undefined && <Compared slug={slug} from={from} to={to} />}
        </div>
      )}
    </section>
  );
}

const views = [
  { value: "text", name: "The text" },
  { value: "filled", name: "As filled" },
];

function Compared({ slug, from, to }: { slug: string; from: number; to: number }) {
  const diff = useDiff(slug, from, to);
  const [view, setView] = useState("text");
  if (diff.error) return <Trouble error={diff.error} />;
  if (!diff.data) return <Waiting lines={5} />;
  return (
    <section
      aria-label={`What changed from version ${from} to ${to}`}
      className="min-w-0 rounded-card border border-line bg-leaf"
    >
      <div className="flex flex-wrap items-center gap-4 border-b border-line px-3.5 py-2.5">
        <h3 className="font-sans text-base font-semibold">
          Version {from} to {to}
        </h3>
        <Choice label="What to compare" value={view} onChange={setView} options={views} />
      </div>
      <div className="px-5 py-4">
        <FieldChanges fields={diff.data.fields} />
        <Difference lines={view === "text" ? diff.data.lines : diff.data.filled} />
      </div>
    </section>
  );
}
