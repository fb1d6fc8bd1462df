import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useLocation, useNavigate } from "@tanstack/react-router";
import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import type { Blank, Kind, NewEntry } from "../../data/api";
import { createEntry, useSession } from "../../data/hooks";
import { takePasted } from "../../data/pasted";
import { useSettled } from "../../data/settled";
import { kindWords } from "../../data/words";
import { useRead } from "../../data/import";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { SimilarEntries } from "../../parts/similar";
import { OneOf } from "../../parts/oneof";
import { useSets } from "../../data/sets";
import { Describe } from "./describe";
import { StartFrom } from "./startfrom";
import { Places } from "../../parts/places";
import { Starters } from "./starters";

const kindNotes: Partial<Record<Kind, string>> = {
  prompt: t`an instruction with blanks`,
  persona: t`whom the model speaks as`,
  style: t`how text should read`,
  snippet: t`a passage that other entries include`,
  sheet: t`facts asked for once`,
};

/** A text is pasted, and becomes a draft. */
export function New() {
  const navigate = useNavigate();
  const session = useSession().data;
  const { section, title: wished } = useLocation().search as { section?: string; title?: string };
  const [kind, setKind] = useState<Kind>("prompt");
  const [title, setTitle] = useState<string | null>(
    wished ? wished.charAt(0).toUpperCase() + wished.slice(1) : null,
  );
  const [body, setBody] = useState(takePasted);
  const [blanks, setBlanks] = useState<Blank[]>([]);
  const [source, setSource] = useState<Source>({});
  const [starter, setStarter] = useState<NewEntry | null>(null);
  const [set, setSet] = useState("");
  const sets = useSets().data?.items ?? [];
  const answers = kind === "sheet" && set !== "";
  const current = useRef(body);
  useEffect(() => {
    current.current = body;
  });
  const read = useRead(useSettled(body)).data;
  const suggested = body.trim() ? (read?.title ?? "") : "";
  const create = useMutation({
    mutationFn: () =>
      createEntry({
        ...starter,
        kind,
        title: title ?? suggested,
        summary: title === null || title === suggested ? read?.summary : undefined,
        body,
        blanks,
        set: answers ? set : undefined,
        source: Object.values(source).some(Boolean) ? source : undefined,
        labels: starter?.labels ?? (session?.department ? { department: [session.department] } : {}),
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
        <h1 className="text-title">
          <Trans>New entry</Trans>
        </h1>
        <p className="text-faded">
          <Trans>
            Paste a text that works. Blanks, labels and the rest come next; it saves by itself from here on.
          </Trans>
        </p>
      </div>
      <Trouble error={create.error} title={t`The draft was not made; what you wrote is still here`} />
      <Starters
        section={section}
        start={(content) => {
          setStarter(content);
          setKind(content.kind);
          setBody(content.body);
          setBlanks(content.blanks ?? []);
        }}
        write={setBody}
      />
      <fieldset>
        <legend className="mb-2 font-semibold">
          <Trans>Kind</Trans>
        </legend>
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
      <StartFrom
        key={kind}
        kind={kind}
        start={(e) => {
          setStarter({
            kind: e.kind,
            body: e.body,
            labels: e.labels,
            persona: e.persona,
            style: e.style,
            sheets: e.sheets,
          });
          setBody(e.body);
          setBlanks(e.blanks ?? []);
          if (e.set) setSet(e.set);
        }}
      />
      {kind === "style" && <Describe write={setBody} />}
      {kind === "sheet" && (
        <Field
          id="set"
          label={t`Question set`}
          hint={t`Its questions are asked one by one, once the draft is there.`}
        >
          <OneOf
            id="set"
            value={set}
            none={t`None: free text`}
            of={sets.map((s) => ({ name: `${s.name}@${s.version}`, title: s.title }))}
            set={setSet}
          />
        </Field>
      )}
      <Field
        id="title"
        label={t`Title`}
        hint={title === null && suggested ? t`Suggested from the text.` : undefined}
      >
        <input
          id="title"
          required
          className={fieldLook}
          value={title ?? suggested}
          onChange={(e) => setTitle(e.target.value)}
        />
      </Field>
      <Field
        id="text"
        label={answers ? t`What is said besides` : t`Text`}
        hint={t`A place to fill in is written ${"{{area}}"}. Everything else stays as you paste it.`}
      >
        <textarea
          id="text"
          required={!answers}
          rows={answers ? 3 : 8}
          className={`${fieldLook} !p-4 font-mono text-small leading-[21px]`}
          value={body}
          onChange={(e) => setBody(e.target.value)}
        />
      </Field>
      {body.trim() !== "" && read && read.places.length > 0 && (
        <Places
          key={body}
          body={body}
          places={read.places}
          made={(asked, next, made) => {
            if (current.current !== asked) {
              toast.error(t`The text has changed meanwhile: nothing was done. Try again.`);
              return;
            }
            setBody(next);
            setBlanks((now) => [...now.filter((b) => !made.some((m) => m.name === b.name)), ...made]);
          }}
        />
      )}
      {body.trim() !== "" && read && read.similar.length > 0 && (
        <section aria-labelledby="similar" className="rounded-card border border-line bg-leaf px-4 py-3">
          <h2 id="similar" className="text-[17px]">
            <Trans>Something like it is there already</Trans>
          </h2>
          <SimilarEntries items={read.similar} text={body} />
        </section>
      )}
      <From source={source} change={setSource} />
      <Button type="submit" weight="main" className="self-start" disabled={create.isPending}>
        <Trans>Create draft</Trans>
      </Button>
    </form>
  );
}

type Source = NonNullable<NewEntry["source"]>;

/** Where a text comes from: kept with the entry, and found by search. */
function From({ source, change }: { source: Source; change: (s: Source) => void }) {
  const fields: [keyof Source, string, string][] = [
    ["place", t`Place`, t`a team’s chat, a wiki, a mail`],
    ["link", t`Link`, t`where it can be read`],
    ["person", t`Person`, t`who wrote it`],
    ["date", t`Date`, t`when, if it matters`],
  ];
  return (
    <details className="rounded-card border border-line bg-leaf px-4 py-2.5">
      <summary className="cursor-pointer font-semibold">
        <Trans>Where does it come from?</Trans>
      </summary>
      <div className="mt-3 grid gap-4 sm:grid-cols-2">
        {fields.map(([name, label, hint]) => (
          <Field key={name} id={`source-${name}`} label={label} hint={hint}>
            <input
              id={`source-${name}`}
              className={fieldLook}
              value={source[name] ?? ""}
              onChange={(e) => change({ ...source, [name]: e.target.value || undefined })}
            />
          </Field>
        ))}
      </div>
    </details>
  );
}
