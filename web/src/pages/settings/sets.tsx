import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
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
  if (sets.error) return <Trouble error={sets.error} title={t`The question sets cannot be shown`} />;
  if (!sets.data) return <Waiting lines={8} />;
  return (
    <div className="max-w-[760px]">
      <div className="mb-2 flex flex-wrap items-center gap-4">
        <h1 className="text-title max-sm:text-head">
          <Trans>Question sets</Trans>
        </h1>
        <Button className="ms-auto" onClick={() => setEditing("")}>
          <Plus size={15} aria-hidden />
          <Trans>Add a question set</Trans>
        </Button>
      </div>
      <p className="mb-5 max-w-prose text-faded">
        <Trans>
          What is asked once of every audience, service or brand. A sheet is the answers; a prompt can want
          one of a certain set.
        </Trans>
      </p>
      {sets.data.items.length === 0 && (
        <Empty title={t`There are no question sets yet`}>
          <Trans>Add one for something that prompts need to know again and again.</Trans>
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
                <Trans>
                  {s.groups.flatMap((g) => g.questions).length} questions in {s.groups.length} groups ·{" "}
                  {plural(s.sheets, { one: "one sheet", other: "# sheets" })} on the shelf · saved by {s.by},{" "}
                  {dateWords(s.at)}
                </Trans>
              </span>
            </span>
            <Button weight="text" aria-label={t`Change ${s.title}`} onClick={() => setEditing(s.name)}>
              <Trans>Change</Trans>
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
}
