import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { Button, Field, fieldLook } from "../../parts/basics";

const questions = [
  ["aim", t`Aim`, t`What is a text in this style for?`, t`People know what to do next, and do not call.`],
  ["audience", t`Audience`, t`Who reads it?`, t`Households, on a telephone, in a hurry.`],
  ["voice", t`Voice`, t`How does it sound?`, t`Calm and near, as a neighbour who knows.`],
  [
    "else",
    t`Anything else`,
    t`What more should whoever writes know?`,
    t`Never more than one thought in a sentence.`,
  ],
] as const;

type Said = Partial<Record<(typeof questions)[number][0], string>>;

/** A style from a description, where there are no samples or beside them. */
export function Describe({ write }: { write: (body: string) => void }) {
  const [said, setSaid] = useState<Said>({});
  const [open, setOpen] = useState(false);
  if (!open) {
    return (
      <Button className="self-start" onClick={() => setOpen(true)}>
        <Trans>From a description…</Trans>
      </Button>
    );
  }
  return (
    <fieldset className="rounded-card border border-line bg-leaf p-4">
      <legend className="px-1 font-semibold">
        <Trans>From a description</Trans>
      </legend>
      <div className="grid gap-4 sm:grid-cols-2">
        {questions.map(([name, title, ask, example]) => (
          <Field key={name} id={`describe-${name}`} label={title} hint={ask}>
            <input
              id={`describe-${name}`}
              className={fieldLook}
              placeholder={example}
              value={said[name] ?? ""}
              onChange={(e) => setSaid({ ...said, [name]: e.target.value })}
            />
          </Field>
        ))}
      </div>
      <Button
        className="mt-3"
        disabled={!Object.values(said).some((s) => s.trim())}
        onClick={() => {
          write(guideOf(said));
          setOpen(false);
        }}
      >
        <Trans>Write it into the text</Trans>
      </Button>
    </fieldset>
  );
}

/** The guide that a description makes: what it is for first, then how it sounds. */
function guideOf(said: Said): string {
  const line = (before: string, text?: string) =>
    text?.trim() ? [`- ${before}${sentence(text.trim())}`] : [];
  const lines = [
    ...line("Aim: ", said.aim),
    ...line("For: ", said.audience),
    ...line("Voice: ", said.voice),
    ...line("", said.else),
  ];
  return `## Guide\n${lines.join("\n")}\n`;
}

function sentence(text: string): string {
  return /[.!?]$/.test(text) ? text : text + ".";
}
