import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { ArrowDown, ArrowUp, Plus, X } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import { useBegun } from "../../data/begun";
import { useAddSet, useSaveSet, useSet, type QuestionGroup } from "../../data/sets";
import { nameFrom } from "../../data/words";
import { Button, ChangedSince, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { QuestionForm } from "./question";

type Read = NonNullable<ReturnType<typeof useSet>["data"]>;

/** A question set in the making: without a name a new one, else the next version of one. */
export function EditSet({ name, close }: { name: string; close: () => void }) {
  const set = useSet(name);
  if (name === "") return <Form close={close} />;
  if (set.error) return <Trouble error={set.error} title={t`The question set cannot be shown`} />;
  if (!set.data) return <Waiting lines={10} />;
  return <Next read={set.data} close={close} />;
}

function Next({ read, close }: { read: Read; close: () => void }) {
  const { begun, begin, moved } = useBegun(read);
  return (
    <>
      <ChangedSince moved={moved} begin={() => begin(read)} />
      <Form key={begun.etag} begun={begun} close={close} />
    </>
  );
}

const first: QuestionGroup[] = [{ title: "", questions: [{ name: "" }] }];

function Form({ begun, close }: { begun?: Read; close: () => void }) {
  const [title, setTitle] = useState(begun?.data.title ?? "");
  const [groups, setGroups] = useState(begun?.data.groups ?? first);
  const [note, setNote] = useState("");
  const add = useAddSet();
  const save = useSaveSet(begun?.data.name ?? "");
  const error = add.error ?? save.error;
  const put = (at: number, next?: QuestionGroup) =>
    setGroups(groups.flatMap((g, i) => (i === at ? (next ? [next] : []) : [g])));
  const done = {
    onSuccess: () => {
      close();
      toast.success(t`${title} is saved`);
    },
  };
  return (
    <form
      className="flex max-w-[760px] flex-col gap-5"
      onSubmit={(e) => {
        e.preventDefault();
        if (begun) save.mutate({ etag: begun.etag, set: { title, groups, note: note || undefined } }, done);
        else add.mutate({ name: nameFrom(title), title, groups }, done);
      }}
    >
      <h1 className="text-title max-sm:text-head">
        {begun ? t`${begun.data.title}, version ${begun.data.version + 1}` : t`New question set`}
      </h1>
      {begun && (
        <p className="-mt-3 text-faded">
          <Trans>Sheets go on answering the version that they name, and say that there is a newer one.</Trans>
        </p>
      )}
      <Trouble error={error} title={t`It is not saved; what you wrote is still here`} />
      <Field
        id="set-title"
        label={t`Title`}
        hint={begun ? undefined : t`As one says what a sheet is of: An audience.`}
      >
        <input
          id="set-title"
          required
          className={fieldLook}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      </Field>
      {groups.map((g, i) => (
        <Group
          key={i}
          group={g}
          number={i + 1}
          change={(next) => put(i, next)}
          remove={groups.length > 1 ? () => put(i) : undefined}
        />
      ))}
      <Button
        className="self-start"
        onClick={() => setGroups([...groups, { title: "", questions: [{ name: "" }] }])}
      >
        <Plus size={15} aria-hidden />
        <Trans>Add a group</Trans>
      </Button>
      {begun && (
        <Field id="set-note" label={t`What has changed, and why`}>
          <input id="set-note" className={fieldLook} value={note} onChange={(e) => setNote(e.target.value)} />
        </Field>
      )}
      <div className="flex gap-4">
        <Button type="submit" weight="main" disabled={add.isPending || save.isPending}>
          {begun ? t`Save as the next version` : t`Add the set`}
        </Button>
        <Button onClick={close}>
          <Trans>Cancel</Trans>
        </Button>
      </div>
    </form>
  );
}

/** Questions under a heading, in an order. */
function Group({
  group,
  number,
  change,
  remove,
}: {
  group: QuestionGroup;
  number: number;
  change: (g: QuestionGroup) => void;
  remove?: () => void;
}) {
  const questions = (next: QuestionGroup["questions"]) => change({ ...group, questions: next });
  const move = (from: number, to: number) => {
    const next = [...group.questions];
    next.splice(to, 0, ...next.splice(from, 1));
    questions(next);
  };
  return (
    <fieldset className="rounded-card border border-line bg-leaf p-4">
      <legend className="sr-only">
        <Trans>Group {number}</Trans>
      </legend>
      <div className="mb-3 flex items-end gap-3">
        <label className="flex flex-1 flex-col gap-1 text-small">
          <Trans>Heading of group {number}</Trans>
          <input
            required
            className={`${fieldLook} font-serif text-[17px] font-[650]`}
            value={group.title}
            onChange={(e) => change({ ...group, title: e.target.value })}
          />
        </label>
        {remove && (
          <Button weight="text" aria-label={t`Remove group ${number}`} onClick={remove}>
            <X size={15} aria-hidden />
          </Button>
        )}
      </div>
      <ol className="flex flex-col gap-2">
        {group.questions.map((q, i) => (
          <li key={i} className="flex items-start gap-1 rounded-field border border-line px-3 py-2">
            <QuestionForm
              question={q}
              change={(next) => questions(group.questions.map((o, k) => (k === i ? next : o)))}
            />
            <span className="flex flex-col">
              <Button
                weight="text"
                aria-label={t`Move question ${i + 1} up`}
                disabled={i === 0}
                onClick={() => move(i, i - 1)}
              >
                <ArrowUp size={14} aria-hidden />
              </Button>
              <Button
                weight="text"
                aria-label={t`Move question ${i + 1} down`}
                disabled={i === group.questions.length - 1}
                onClick={() => move(i, i + 1)}
              >
                <ArrowDown size={14} aria-hidden />
              </Button>
              <Button
                weight="text"
                aria-label={t`Remove question ${i + 1}`}
                onClick={() => questions(group.questions.filter((_, k) => k !== i))}
              >
                <X size={14} aria-hidden />
              </Button>
            </span>
          </li>
        ))}
      </ol>
      <Button weight="text" className="mt-2" onClick={() => questions([...group.questions, { name: "" }])}>
        <Plus size={15} aria-hidden />
        <Trans>Add a question</Trans>
      </Button>
    </fieldset>
  );
}
