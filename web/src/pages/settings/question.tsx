import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { Question } from "../../data/sets";
import { fieldLook } from "../../parts/basics";

const types: [NonNullable<Question["type"]>, string][] = [
  ["line", t`one line`],
  ["text", t`a text`],
  ["number", t`a number`],
  ["yes-no", t`yes or no`],
  ["date", t`a date`],
  ["pick", t`one of some`],
  ["pick-many", t`any of some`],
];

/** One question: as it is asked, the name by which texts have its answer, and what it takes. */
export function QuestionForm({ question: q, change }: { question: Question; change: (q: Question) => void }) {
  const [more, setMore] = useState(false);
  const [named, setNamed] = useState(q.name !== "");
  const picks = q.type === "pick" || q.type === "pick-many";
  const ask = (text: string) => change({ ...q, ask: text, name: named ? q.name : nameOf(text) });
  return (
    <div className="min-w-0 flex-1">
      <div className="grid gap-2 sm:grid-cols-[1fr_150px_130px]">
        <label className="flex flex-col gap-1 text-small">
          <Trans>Question</Trans>
          <input className={fieldLook} value={q.ask ?? ""} onChange={(e) => ask(e.target.value)} />
        </label>
        <label className="flex flex-col gap-1 text-small">
          <Trans>Name</Trans>
          <input
            required
            className={`${fieldLook} font-mono text-small`}
            value={q.name}
            onChange={(e) => {
              setNamed(true);
              change({ ...q, name: e.target.value });
            }}
          />
        </label>
        <label className="flex flex-col gap-1 text-small">
          <Trans>Takes</Trans>
          <select
            className={fieldLook}
            value={q.type || "line"}
            onChange={(e) =>
              change({
                ...q,
                type: e.target.value as Question["type"],
                options: e.target.value.startsWith("pick") ? (q.options ?? []) : undefined,
              })
            }
          >
            {types.map(([value, name]) => (
              <option key={value} value={value}>
                {name}
              </option>
            ))}
          </select>
        </label>
      </div>
      {picks && (
        <label className="mt-2 flex flex-col gap-1 text-small">
          <Trans>Options, one a line</Trans>
          <textarea
            rows={3}
            className={fieldLook}
            value={(q.options ?? []).join("\n")}
            onChange={(e) => change({ ...q, options: e.target.value.split("\n") })}
            onBlur={() => change({ ...q, options: (q.options ?? []).filter((o) => o.trim()) })}
          />
        </label>
      )}
      <div className="mt-1 flex flex-wrap items-center gap-4 text-small">
        <label className="flex min-h-7 items-center gap-1.5">
          <input
            type="checkbox"
            className="size-4 accent-gold"
            checked={q.optional ?? false}
            onChange={(e) => change({ ...q, optional: e.target.checked || undefined })}
          />
          <Trans>may go without</Trans>
        </label>
        <button
          type="button"
          aria-expanded={more}
          className="text-gold hover:underline"
          onClick={() => setMore(!more)}
        >
          <Trans>Help and example</Trans>
        </button>
      </div>
      {more && (
        <div className="mt-2 grid gap-2 sm:grid-cols-2">
          <label className="flex flex-col gap-1 text-small">
            <Trans>Help</Trans>
            <input
              className={fieldLook}
              value={q.help ?? ""}
              onChange={(e) => change({ ...q, help: e.target.value || undefined })}
            />
          </label>
          <label className="flex flex-col gap-1 text-small">
            <Trans>Example</Trans>
            <input
              className={fieldLook}
              value={q.example ?? ""}
              onChange={(e) => change({ ...q, example: e.target.value || undefined })}
            />
          </label>
        </div>
      )}
    </div>
  );
}

const little = new Set([
  "how",
  "what",
  "which",
  "who",
  "when",
  "where",
  "do",
  "does",
  "did",
  "is",
  "are",
  "the",
  "a",
  "an",
  "they",
  "we",
  "it",
  "in",
  "of",
  "to",
  "be",
  "there",
  "for",
  "by",
  "from",
  "must",
  "can",
]);

/** A name for a question's answer, from the words that say most. */
function nameOf(ask: string): string {
  const words = ask
    .toLowerCase()
    .replace(/[^a-z0-9 ]/g, "")
    .split(/ +/)
    .filter((w) => w && !little.has(w));
  const name = words.slice(0, 3).join("_");
  return /^[a-z]/.test(name) ? name.slice(0, 40) : "";
}
