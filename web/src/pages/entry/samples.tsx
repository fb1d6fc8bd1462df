import { whole } from "../../languages/figures";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useAddSample, useRemoveSample, useSample, useSamples, type Sample } from "../../data/voices";
import { dateWords } from "../../data/times";
import { Button, Empty, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** The samples that a style is measured from: for those who look after it. */
export function Samples({ slug }: { slug: string }) {
  const samples = useSamples(slug);
  const [shown, setShown] = useState<Sample>();
  const [adding, setAdding] = useState(false);
  if (!samples.data) return null; // they are not everybody's to see
  const all = samples.data.items;
  return (
    <section aria-labelledby="samples" className="mt-8">
      <div className="mb-2 flex items-end gap-4 border-b-2 border-gilt pb-1">
        <h2 id="samples" className="text-lead">
          <Trans>Samples</Trans>
        </h2>
        <p className="text-small text-faded max-sm:hidden">
          <Trans>Somebody’s writing: seen by those who look after the style.</Trans>
        </p>
        <Button className="ms-auto" onClick={() => setAdding(!adding)} aria-expanded={adding}>
          <Trans>Add samples</Trans>
        </Button>
      </div>
      {adding && <Add slug={slug} done={() => setAdding(false)} />}
      {all.length === 0 && !adding && (
        <Empty title={t`It has no samples yet`}>
          <Trans>Bring letters, notes or pages that read as it should.</Trans>
        </Empty>
      )}
      <ul className="divide-y divide-line">
        {all.map((s) => (
          <li key={s.id} className="flex flex-wrap items-center gap-x-4 gap-y-1 py-2">
            <span className="min-w-0 flex-1">
              <b>{s.name}</b>{" "}
              <span className="text-small text-faded">
                <Trans>{whole(s.words)} words</Trans>
                {s.weight !== 1 && t`, counts ${s.weight} times`}
                {s.dated && t`, written ${dateWords(s.dated)}`} <Trans>· added by {s.added_by}</Trans>
              </span>
            </span>
            <Button weight="text" aria-label={t`Show ${s.name}`} onClick={() => setShown(s)}>
              <Trans>Show</Trans>
            </Button>
            <Remove slug={slug} sample={s} />
          </li>
        ))}
      </ul>
      {shown && <Shown slug={slug} sample={shown} close={() => setShown(undefined)} />}
    </section>
  );
}

/** A sample that is removed is gone for good: it is asked about first. */
function Remove({ slug, sample }: { slug: string; sample: Sample }) {
  const [sure, setSure] = useState(false);
  const remove = useRemoveSample(slug);
  if (!sure) {
    return (
      <Button weight="text" aria-label={t`Remove ${sample.name}`} onClick={() => setSure(true)}>
        <Trans>Remove</Trans>
      </Button>
    );
  }
  return (
    <span className="flex items-center gap-2 text-small">
      <Trans>Gone for good?</Trans>
      <Button
        className="!py-1"
        disabled={remove.isPending}
        onClick={() => remove.mutate(sample.id, { onError: (e) => toast.error(e.message) })}
      >
        <Trans>Remove {sample.name}</Trans>
      </Button>
      <Button weight="text" onClick={() => setSure(false)}>
        <Trans>Keep</Trans>
      </Button>
    </span>
  );
}

function Shown({ slug, sample, close }: { slug: string; sample: Sample; close: () => void }) {
  const text = useSample(slug, sample.id);
  return (
    <Dialog open onOpen={close} title={sample.name} wide>
      <Trouble error={text.error} title={t`It cannot be shown`} />
      <pre className="font-serif text-base leading-[25px] whitespace-pre-wrap">{text.data?.text}</pre>
    </Dialog>
  );
}

/** Brings samples: files, or a text that is pasted. One in the name of another takes its place. */
function Add({ slug, done }: { slug: string; done: () => void }) {
  const [name, setName] = useState("");
  const [text, setText] = useState("");
  const [files, setFiles] = useState<File[]>([]);
  const [weight, setWeight] = useState("1");
  const [dated, setDated] = useState("");
  const add = useAddSample(slug);
  const bring = async () => {
    const how = { weight: Number(weight) || 1, dated: dated || undefined };
    const all = text.trim()
      ? [{ name, data: new Blob([text]) }]
      : files.map((f) => ({ name: f.name, data: f as Blob }));
    for (const one of all) await add.mutateAsync({ ...how, ...one });
    toast.success(plural(all.length, { one: "One sample added", other: "# samples added" }));
    done();
  };
  return (
    <form
      className="mb-4 grid gap-4 rounded-card border border-line bg-leaf p-4 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault();
        bring().catch(() => undefined); // what went wrong is shown
      }}
    >
      <div className="sm:col-span-2">
        <Trouble error={add.error} title={t`It was not added`} />
      </div>
      <Field
        id="sample-files"
        label={t`Files`}
        hint={t`Text, Markdown, Word (.docx) or a .pdf with a text layer, of 10 MiB at most.`}
      >
        <input
          id="sample-files"
          type="file"
          multiple
          accept=".txt,.md,.docx,.pdf"
          className={fieldLook}
          onChange={(e) => setFiles([...(e.target.files ?? [])])}
        />
      </Field>
      <div className="grid grid-cols-2 gap-4">
        <Field id="sample-dated" label={t`Written on`}>
          <input
            id="sample-dated"
            type="date"
            className={fieldLook}
            value={dated}
            onChange={(e) => setDated(e.target.value)}
          />
        </Field>
        <Field id="sample-weight" label={t`Counts times`}>
          <input
            id="sample-weight"
            inputMode="decimal"
            className={fieldLook}
            value={weight}
            onChange={(e) => setWeight(e.target.value)}
          />
        </Field>
      </div>
      <Field id="sample-text" label={t`Or paste a text`}>
        <textarea
          id="sample-text"
          rows={4}
          className={fieldLook}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Field>
      <Field
        id="sample-name"
        label={t`What the pasted text is`}
        hint={t`One in the name of another takes its place.`}
      >
        <input
          id="sample-name"
          required={text.trim() !== ""}
          className={fieldLook}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </Field>
      <Button
        type="submit"
        weight="main"
        className="justify-self-start"
        disabled={add.isPending || (!text.trim() && files.length === 0)}
      >
        <Trans>Add</Trans>
      </Button>
    </form>
  );
}
