import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Plus, Trash2 } from "lucide-react";
import type { Blank } from "../../data/api";
import { asText, question } from "../../data/words";
import { Button, Field, fieldLook } from "../../parts/basics";
import type { Editing } from "./editing";

const types: { value: NonNullable<Blank["type"]>; name: string }[] = [
  { value: "line", name: t`a line` },
  { value: "text", name: t`a longer text` },
  { value: "number", name: t`a number` },
  { value: "yes-no", name: t`yes or no` },
  { value: "date", name: t`a date` },
  { value: "pick", name: t`one of these` },
  { value: "pick-many", name: t`some of these` },
];

/** The draft's blanks; those that the text asks for and nobody has declared come first. */
export function Blanks({ draft, change, asked }: Editing & { asked: Blank[] }) {
  const blanks = draft.blanks ?? [];
  const undeclared = asked.filter((a) => !a.ask && !blanks.some((b) => b.name === a.name));
  const set = (at: number, b: Blank) =>
    change({ ...draft, blanks: blanks.map((old, i) => (i === at ? b : old)) });
  const add = (name: string) => change({ ...draft, blanks: [...blanks, { name }] });
  const fresh = () => {
    let n = blanks.length + 1;
    while (blanks.some((b) => b.name === `blank_${n}`)) n++;
    add(`blank_${n}`);
  };
  return (
    <div className="flex flex-col gap-3">
      {undeclared.map((b) => (
        <p
          key={b.name}
          className="flex items-center gap-3 rounded-card border border-dashed border-line px-3 py-2"
        >
          <span>
            <Trans>
              <code className="font-mono text-small text-gold">{b.name}</code> is in the text and asks nothing
              yet.
            </Trans>
          </span>
          <Button weight="text" className="ms-auto" onClick={() => add(b.name)}>
            <Trans>Declare it</Trans>
          </Button>
        </p>
      ))}
      {blanks.map((b, i) => (
        <One
          key={i}
          at={i}
          blank={b}
          set={(next) => set(i, next)}
          remove={() => change({ ...draft, blanks: blanks.filter((_, j) => j !== i) })}
        />
      ))}
      <Button className="self-start" onClick={fresh}>
        <Plus size={15} aria-hidden /> <Trans>Add a blank</Trans>
      </Button>
    </div>
  );
}

function One({
  at,
  blank,
  set,
  remove,
}: {
  at: number;
  blank: Blank;
  set: (b: Blank) => void;
  remove: () => void;
}) {
  const id = (part: string) => `blank-${at}-${part}`;
  const picks = blank.type === "pick" || blank.type === "pick-many";
  return (
    <details className="rounded-card border border-line bg-leaf px-3 py-2">
      <summary className="cursor-pointer">
        <code className="font-mono text-small text-gold">{blank.name}</code>{" "}
        <span className="text-small text-faded">{question(blank)}</span>
      </summary>
      <div className="mt-3 flex flex-col gap-3">
        <Field id={id("name")} label={t`Name in the text`}>
          <input
            id={id("name")}
            className={`${fieldLook} font-mono`}
            value={blank.name}
            onChange={(e) => set({ ...blank, name: e.target.value })}
          />
        </Field>
        <Field id={id("ask")} label={t`Question`}>
          <input
            id={id("ask")}
            className={fieldLook}
            value={blank.ask ?? ""}
            onChange={(e) => set({ ...blank, ask: e.target.value || undefined })}
          />
        </Field>
        <Field id={id("type")} label={t`It takes`}>
          <select
            id={id("type")}
            className={fieldLook}
            value={blank.type || "line"}
            onChange={(e) => set(withType(blank, e.target.value))}
          >
            {types.map((t) => (
              <option key={t.value} value={t.value}>
                {t.name}
              </option>
            ))}
          </select>
        </Field>
        {picks && (
          <Field id={id("options")} label={t`Options, one a line`}>
            <textarea
              id={id("options")}
              rows={3}
              className={fieldLook}
              value={(blank.options ?? []).join("\n")}
              onChange={(e) =>
                set({ ...blank, options: e.target.value === "" ? undefined : e.target.value.split("\n") })
              }
            />
          </Field>
        )}
        <Field id={id("hint")} label={t`Hint`}>
          <input
            id={id("hint")}
            className={fieldLook}
            value={blank.hint ?? ""}
            onChange={(e) => set({ ...blank, hint: e.target.value || undefined })}
          />
        </Field>
        <Field id={id("sample")} label={t`Sample, for previews`}>
          <input
            id={id("sample")}
            className={fieldLook}
            value={asText(blank.sample)}
            onChange={(e) => set({ ...blank, sample: sampleOf(blank, e.target.value) })}
          />
        </Field>
        <div className="flex items-center justify-between">
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="size-4 accent-gold"
              checked={blank.optional ?? false}
              onChange={(e) => set({ ...blank, optional: e.target.checked || undefined })}
            />
            <Trans>May stay empty</Trans>
          </label>
          <Button weight="text" onClick={remove}>
            <Trash2 size={15} aria-hidden /> <Trans>Remove</Trans>
          </Button>
        </div>
      </div>
    </details>
  );
}

/** A blank of another type, without what that type does not have. */
function withType(blank: Blank, type: string): Blank {
  const next: Blank = { ...blank, type: type as Blank["type"] };
  if (type !== "pick" && type !== "pick-many") delete next.options;
  return next;
}

function sampleOf(blank: Blank, text: string): Blank["sample"] {
  if (text === "") return undefined;
  if (blank.type === "pick-many") return text.split(",").map((t) => t.trimStart());
  return text;
}
