import { t } from "@lingui/core/macro";
import { useEffect, useRef, useState } from "react";
import type { Entry, Kind } from "../../data/api";
import { useShelfEntry } from "../../data/hooks";
import { kindWords } from "../../data/words";
import { Field, Trouble } from "../../parts/basics";
import { EntryField } from "../../parts/entryfield";

/** Another entry of the kind, whose text a new one begins with. */
export function StartFrom({ kind, start }: { kind: Kind; start: (e: Entry) => void }) {
  const [slug, setSlug] = useState("");
  const entry = useShelfEntry(slug, true, slug !== "");
  const begin = useRef(start);
  useEffect(() => {
    begin.current = start;
  });
  useEffect(() => {
    if (entry.data) begin.current(entry.data);
  }, [entry.data]);
  return (
    <Field
      id="start-from"
      label={t`Start from`}
      hint={t`Another ${kindWords[kind].name.toLowerCase()}, whose text you change into yours.`}
    >
      <EntryField
        id="start-from"
        kind={kind}
        value={slug}
        title={slug === "" ? "" : entry.data?.title}
        first={[{ name: "", title: t`an empty page` }]}
        set={setSlug}
      />
      {entry.error && <Trouble error={entry.error} title={t`It cannot be started from`} />}
    </Field>
  );
}
