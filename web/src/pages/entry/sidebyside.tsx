import { t } from "@lingui/core/macro";
import { useDeferredValue, useState } from "react";
import type { Entry, Values } from "../../data/api";
import { useCompareStacks, type StacksCompared } from "../../data/use";
import { Trouble, Waiting } from "../../parts/basics";
import { Columns } from "../../parts/columns";
import { EntryField } from "../../parts/entryfield";
import type { StackChoice } from "./stack";

/** The text with one persona beside the text with another, or with none: the same blanks, and what differs marked. */
export function SideBySide({
  entry,
  name,
  values,
  stack,
}: {
  entry: Entry;
  name: string;
  values: Values;
  stack: StackChoice;
}) {
  const [left, setLeft] = useState(stack.persona ?? entry.persona ?? "none");
  const [right, setRight] = useState(left === "none" ? "" : "none");
  const first = { ...stack, persona: left };
  const second = { ...stack, persona: right || "none" };
  const both = useCompareStacks(name, useDeferredValue({ values, first, second }));
  const none = [{ name: "none", title: t`No persona` }];
  return (
    <div className="ps-7 max-sm:ps-4">
      <div className="mb-3 grid grid-cols-2 gap-5">
        <EntryField
          label={t`Persona on the left`}
          kind="persona"
          value={left}
          title={titleOf(both.data, "first", left)}
          set={setLeft}
          first={none}
        />
        <EntryField
          label={t`Persona on the right`}
          kind="persona"
          value={right || "none"}
          title={titleOf(both.data, "second", right || "none")}
          set={setRight}
          first={none}
        />
      </div>
      {both.error && <Trouble error={both.error} title={t`They cannot be compared`} />}
      {both.data ? <Columns lines={both.data.lines} /> : !both.error && <Waiting lines={8} />}
    </div>
  );
}

function titleOf(
  both: StacksCompared | undefined,
  side: "first" | "second",
  slug: string,
): string | undefined {
  if (slug === "none") return t`No persona`;
  return both?.[side].layers.find((l) => l.entry === slug)?.title;
}
