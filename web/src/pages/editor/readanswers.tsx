import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { Problem } from "../../data/api";
import { useReadAnswers, type Answers } from "../../data/sets";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";

/** Answers out of a text or a file that is there already; what cannot be placed is said, line by line. */
export function ReadAnswers({
  reference,
  take,
  given = "",
}: {
  reference: string;
  take: (answers: Answers) => void;
  given?: string; // what the text begins with
}) {
  const [text, setText] = useState(given);
  const read = useReadAnswers(reference);
  const got = read.data;
  return (
    <div className="mb-4 rounded-field border border-line p-3">
      <Field
        id="answers-text"
        label={t`Questions and answers`}
        hint={t`A line is a question, a colon and its answer; or a CSV of two columns; or JSON.`}
      >
        <textarea
          id="answers-text"
          rows={5}
          className={`${fieldLook} font-mono text-small`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Field>
      <div className="mt-2 flex flex-wrap items-center gap-3">
        <Button disabled={!text.trim() || read.isPending} onClick={() => read.mutate(text)}>
          <Trans>Read</Trans>
        </Button>
        <input
          type="file"
          aria-label={t`Or a file`}
          accept=".txt,.md,.csv,.json"
          className="text-small"
          onChange={(e) => {
            const file = e.target.files?.[0];
            if (file) read.mutate(file);
          }}
        />
      </div>
      <Trouble error={read.error} title={t`It cannot be read`} />
      {got && (
        <div role="status" className="mt-3">
          <p>
            <Trans>{Object.keys(got.answers).length} answers were read</Trans>
            {got.missing.length > 0 && t`; these are still open: ${got.missing.join(", ")}`}.
          </p>
          <ul className="list-disc ps-5 text-small text-stop">
            {got.problems.map((p: Problem) => (
              <li key={`${p.line} ${p.message}`}>
                {p.line ? t`Line ${p.line}: ` : ""}
                {p.message}
              </li>
            ))}
          </ul>
          {Object.keys(got.answers).length > 0 && (
            <Button weight="main" className="mt-2" onClick={() => take(got.answers)}>
              <Trans>Take these answers</Trans>
            </Button>
          )}
        </div>
      )}
    </div>
  );
}
