import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { NewEntry } from "../../data/api";
import { createEntry } from "../../data/hooks";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { placesOf, replaceAt } from "../../data/marks";
import { replaceText, type Editing } from "./editing";

export interface Selected {
  text: string;
  left: number;
  top: number;
}

/** What can be done with a marked passage: made a blank everywhere, or taken out into a snippet. */
export function Selection({
  selected,
  draft,
  change,
  close,
}: Editing & { selected: Selected; close: () => void }) {
  const [asking, setAsking] = useState(false);
  const [text] = useState(selected.text);
  const makeBlank = () => {
    const places = placesOf(draft.body, text);
    if (places.length === 0) {
      toast.error(t`It is a part of a word or of a mark: mark whole words outside marks.`);
      return;
    }
    const name = freeName(text, draft);
    replaceText(
      change,
      draft.body,
      (now) => ({
        ...now,
        body: replaceAt(now.body, places, text.length, `{{${name}}}`),
        blanks: [
          ...(now.blanks ?? []),
          { name, sample: text, type: text.includes("\n") ? "text" : undefined },
        ],
      }),
      plural(places.length, { one: `Made the blank ${name}`, other: `Made the blank ${name}, in # places` }),
    );
    close();
  };
  const include = (slug: string) => {
    const places = placesOf(draft.body, text);
    replaceText(
      change,
      draft.body,
      (now) => ({ ...now, body: replaceAt(now.body, places, text.length, includeOf(text, slug)) }),
      t`Taken out into ${slug}, a draft of yours`,
    );
    close();
  };
  const look = "rounded-field px-3 py-1.5 text-small hover:bg-wash";
  return (
    <>
      {!asking && (
        <div
          role="toolbar"
          aria-label={t`With the marked passage`}
          className="fixed z-20 flex gap-1 rounded-card border border-line bg-leaf p-1 shadow-lift"
          style={{ left: Math.min(selected.left, window.innerWidth - 260), top: selected.top + 8 }}
          onMouseDown={(e) => e.preventDefault()}
        >
          {!/[{}]/.test(text) && (
            <button type="button" className={`${look} font-semibold text-gold`} onClick={makeBlank}>
              <Trans>Make a blank</Trans>
            </button>
          )}
          <button type="button" className={look} onClick={() => setAsking(true)}>
            <Trans>Make a snippet</Trans>
          </button>
        </div>
      )}
      <Dialog open={asking} onOpen={(o) => !o && close()} title={t`Make a snippet`}>
        <Snippet text={text} draft={draft} made={include} />
      </Dialog>
    </>
  );
}

/** An include in the place of a passage; whole lines keep their last line end. */
function includeOf(text: string, slug: string): string {
  return `{{include ${slug}}}` + (text.endsWith("\n") ? "\n" : "");
}

/** A name for a blank from its text, that no other blank has. */
function freeName(text: string, draft: NewEntry): string {
  const words = text.toLowerCase().match(/[a-z][a-z0-9]*/g) ?? [];
  const base = words.slice(0, 3).join("_").slice(0, 32) || "blank";
  const reserved = ["include", "if", "else", "end", "each", "as", "from", "or", "is", "has", "not"];
  const taken = (n: string) => reserved.includes(n) || (draft.blanks ?? []).some((b) => b.name === n);
  let name = base;
  for (let i = 2; taken(name); i++) name = `${base}_${i}`;
  return name;
}

function Snippet({ text, draft, made }: { text: string; draft: NewEntry; made: (slug: string) => void }) {
  const [title, setTitle] = useState("");
  const [error, setError] = useState<unknown>(null);
  const [busy, setBusy] = useState(false);
  const create = async () => {
    setBusy(true);
    try {
      const body = text.endsWith("\n") ? text : text + "\n";
      // The blanks that the passage asks for go with it.
      const blanks = (draft.blanks ?? []).filter((b) =>
        new RegExp(`\\{\\{[^}\\n]*\\b${b.name}\\b`).test(text),
      );
      made((await createEntry({ kind: "snippet", title, body, blanks, labels: draft.labels ?? {} })).slug);
    } catch (e) {
      setError(e);
      setBusy(false);
    }
  };
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        void create();
      }}
    >
      <Trouble error={error} title={t`The snippet was not made; nothing has changed`} />
      <pre
        className="max-h-40 overflow-auto rounded-field border border-line bg-leaf p-2 font-mono text-small whitespace-pre-wrap"
        tabIndex={0}
      >
        {text}
      </pre>
      <Field id="snippet-title" label={t`What is it called?`}>
        <input
          id="snippet-title"
          required
          className={fieldLook}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" disabled={busy}>
        <Trans>Create snippet</Trans>
      </Button>
    </form>
  );
}
