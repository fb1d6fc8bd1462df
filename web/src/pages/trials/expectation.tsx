import { t } from "@lingui/core/macro";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import type { Expectation } from "../../data/trials";
import { fieldLook } from "../../parts/basics";
import { EntryField } from "../../parts/entryfield";

type Kind = Expectation["kind"];

/** Each kind of expectation, as it is chosen; not is of one that must not hold. */
const kinds: { kind: Kind; not?: true; title: string }[] = [
  { kind: "words", title: t`keeps to so many words` },
  { kind: "holds", title: t`holds a text` },
  { kind: "holds", not: true, title: t`does not hold a text` },
  { kind: "matches", title: t`matches a pattern` },
  { kind: "matches", not: true, title: t`does not match a pattern` },
  { kind: "headings", title: t`has headings` },
  { kind: "headings", not: true, title: t`has no headings` },
  { kind: "list", title: t`has a list` },
  { kind: "list", not: true, title: t`has no list` },
  { kind: "table", title: t`has a table` },
  { kind: "table", not: true, title: t`has no table` },
  { kind: "json", title: t`is JSON` },
  { kind: "numbers", title: t`gives no number that was not given` },
  { kind: "grade", title: t`reads at a school grade` },
  { kind: "style", title: t`is near to a style` },
  { kind: "avoided", title: t`has no word that the house avoids` },
  { kind: "verdict", title: t`is answered yes by a prompt` },
  { kind: "mark", title: t`is marked by people` },
];

const counted: Kind[] = ["words", "grade", "list", "headings"];
const texts: Partial<Record<Kind, string>> = {
  holds: t`The text`,
  matches: t`The pattern (RE2)`,
  headings: t`Titles, a line each, if certain ones`,
  mark: t`What people are asked`,
};

export function ExpectationRow({
  expectation: e,
  set,
  remove,
}: {
  expectation: Expectation;
  set: (e: Expectation) => void;
  remove: () => void;
}) {
  const at = kinds.findIndex((k) => k.kind === e.kind && (k.not ?? false) === (e.not ?? false));
  const number = (field: "least" | "most") => (
    <input
      type="number"
      aria-label={field === "least" ? t`At least` : t`At most`}
      placeholder={field === "least" ? t`at least` : t`at most`}
      className={`${fieldLook} !w-28`}
      value={e[field] ?? ""}
      onChange={(v) => set({ ...e, [field]: v.target.value === "" ? undefined : Number(v.target.value) })}
    />
  );
  const label = texts[e.kind];
  return (
    <li className="flex flex-wrap items-center gap-2">
      <select
        aria-label={t`What a reply does`}
        className={`${fieldLook} !w-80 max-w-full`}
        value={at}
        onChange={(v) => {
          const chosen = kinds[Number(v.target.value)]!;
          set({
            kind: chosen.kind,
            not: chosen.not,
            text: texts[chosen.kind] && texts[e.kind] ? e.text : undefined,
            most: chosen.kind === "words" ? 120 : undefined,
          });
        }}
      >
        {kinds.map((k, i) => (
          <option key={k.title} value={i}>
            {k.title}
          </option>
        ))}
      </select>
      {counted.includes(e.kind) && (
        <>
          {number("least")}
          {number("most")}
        </>
      )}
      {label && (
        <textarea
          aria-label={label}
          placeholder={label}
          rows={e.kind === "headings" ? 2 : 1}
          className={`${fieldLook} !w-64 max-w-full flex-1`}
          value={e.text ?? ""}
          onChange={(v) => set({ ...e, text: v.target.value || undefined })}
        />
      )}
      {(e.kind === "style" || e.kind === "verdict") && (
        <span className="w-64">
          <EntryField
            label={e.kind === "style" ? t`The style` : t`The prompt that says yes or no`}
            kind={e.kind === "style" ? "style" : "prompt"}
            value={e.text ?? ""}
            set={(slug) => set({ ...e, text: slug })}
          />
        </span>
      )}
      {e.kind === "json" && <Schema value={e.schema} set={(schema) => set({ ...e, schema })} />}
      <button
        type="button"
        aria-label={t`Take this expectation out`}
        className="ms-auto rounded-field p-1 text-faded hover:bg-wash"
        onClick={remove}
      >
        <Trash2 size={16} aria-hidden />
      </button>
    </li>
  );
}

/** A JSON Schema as it is typed; what is no JSON yet is kept from being sent. */
function Schema({ value, set }: { value: unknown; set: (schema: unknown) => void }) {
  const [text, setText] = useState(value === undefined ? "" : JSON.stringify(value, null, 1));
  const [wrong, setWrong] = useState(false);
  return (
    <textarea
      aria-label={t`A JSON Schema that it fits, if there is one`}
      aria-invalid={wrong}
      placeholder={t`A JSON Schema, if there is one`}
      rows={3}
      className={`${fieldLook} flex-1 font-mono text-small`}
      value={text}
      onChange={(v) => {
        setText(v.target.value);
        try {
          set(v.target.value.trim() === "" ? undefined : JSON.parse(v.target.value));
          setWrong(false);
        } catch {
          setWrong(true);
        }
      }}
    />
  );
}
