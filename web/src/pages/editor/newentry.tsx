import { useNavigate } from "@tanstack/react-router";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import type { Kind } from "../../data/api";
import { createEntry, useSession } from "../../data/hooks";
import { kindWords } from "../../data/words";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";

const kindNotes: Partial<Record<Kind, string>> = {
  prompt: "an instruction with blanks",
  persona: "whom the model speaks as",
  style: "how text should read",
  snippet: "a passage that other entries include",
  sheet: "facts asked for once",
};

/** A text is pasted, and becomes a draft. */
export function New() {
  const navigate = useNavigate();
  const session = useSession().data;
  const [kind, setKind] = useState<Kind>("prompt");
  const [title, setTitle] = useState("");
  const [body, setBody] = useState("");
  const create = useMutation({
    mutationFn: () =>
      createEntry({
        kind,
        title,
        body,
        labels: session?.department ? { department: [session.department] } : {},
      }),
    onSuccess: (e) => void navigate({ to: "/entries/$slug/edit", params: { slug: e.slug } }),
  });
  return (
    <form
      className="mx-auto flex max-w-[760px] flex-col gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        create.mutate();
      }}
    >
      <div>
        <h1 className="text-title">New entry</h1>
        <p className="text-faded">
          Paste a text that works. Blanks, labels and the rest come next; it saves by itself from here on.
        </p>
      </div>
      <Trouble error={create.error} title="The draft was not made; what you wrote is still here" />
      <fieldset>
        <legend className="mb-2 font-semibold">Kind</legend>
        <div className="flex flex-wrap gap-2">
          {(Object.keys(kindNotes) as Kind[]).map((k) => (
            <label
              key={k}
              className="flex cursor-pointer items-center gap-2 rounded-field border border-line bg-leaf px-3 py-1.5 has-checked:border-gold has-checked:bg-wash"
            >
              <input
                type="radio"
                name="kind"
                className="accent-gold"
                checked={k === kind}
                onChange={() => setKind(k)}
              />
              <span>
                <b>{kindWords[k].name}</b> <span className="text-small text-faded">{kindNotes[k]}</span>
              </span>
            </label>
          ))}
        </div>
      </fieldset>
      <Field id="title" label="Title">
        <input
          id="title"
          required
          className={fieldLook}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      </Field>
      <Field
        id="text"
        label="Text"
        hint="A place to fill in is written {{area}}. Everything else stays as you paste it."
      >
        <textarea
          id="text"
          required
          rows={12}
          className={`${fieldLook} !p-4 font-mono text-small leading-[21px]`}
          value={body}
          onChange={(e) => setBody(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" className="self-start" disabled={create.isPending}>
        Make a draft
      </Button>
    </form>
  );
}
