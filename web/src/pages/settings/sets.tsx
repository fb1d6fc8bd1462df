import { Plus } from "lucide-react";
import { useState } from "react";
import { useSets } from "../../data/sets";
import { dateWords } from "../../data/times";
import { Button, Empty, Trouble, Waiting } from "../../parts/basics";
import { EditSet } from "./seteditor";

/** The question sets that sheets answer. */
export function SetsPage() {
  const sets = useSets();
  const [editing, setEditing] = useState<string>(); // a set's name, or nothing for a new one
  if (editing !== undefined) return <EditSet name={editing} close={() => setEditing(undefined)} />;
  if (sets.error) return <Trouble error={sets.error} title="The question sets cannot be shown" />;
  if (!sets.data) return <Waiting lines={8} />;
  return (
    <div className="max-w-[760px]">
      <div className="mb-2 flex flex-wrap items-center gap-4">
        <h1 className="text-title max-sm:text-head">Question sets</h1>
        <Button className="ml-auto" onClick={() => setEditing("")}>
          <Plus size={15} aria-hidden />
          Add a question set
        </Button>
      </div>
      <p className="mb-5 max-w-prose text-faded">
        What is asked once of every audience, service or brand. A sheet is the answers; a prompt can want one
        of a certain set.
      </p>
      {sets.data.items.length === 0 && (
        <Empty title="There are no question sets yet">
          Add one for something that prompts need to know again and again.
        </Empty>
      )}
      <ul className="divide-y divide-line rounded-card border border-line bg-leaf empty:hidden">
        {sets.data.items.map((s) => (
          <li key={s.name} className="flex flex-wrap items-center gap-3 px-4 py-3">
            <span className="min-w-0 flex-1">
              <b>{s.title}</b>{" "}
              <code className="font-mono text-small text-faded">
                {s.name}@{s.version}
              </code>
              <span className="block text-small text-faded">
                {s.groups.flatMap((g) => g.questions).length} questions in {s.groups.length} groups ·{" "}
                {s.sheets === 1 ? "one sheet" : `${s.sheets} sheets`} on the shelf · saved by {s.by},{" "}
                {dateWords(s.at)}
              </span>
            </span>
            <Button weight="text" aria-label={`Change ${s.title}`} onClick={() => setEditing(s.name)}>
              Change
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
}
