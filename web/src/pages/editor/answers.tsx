import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { NewEntry, Problem } from "../../data/api";
import { useSet, useSets, type QuestionSet } from "../../data/sets";
import { useCheck } from "../../data/hooks";
import { useSettled } from "../../data/settled";
import { Button, Field, Trouble, Waiting } from "../../parts/basics";
import { Choice } from "../../parts/choice";
import { OneOf } from "../../parts/oneof";
import { AllQuestions } from "./allquestions";
import type { Editing } from "./editing";
import { Guided } from "./guided";
import { ReadAnswers } from "./readanswers";

const ways = [
  { value: "guided", name: t`One by one` },
  { value: "all", name: t`All at once` },
];

/** What a sheet answers: the question set, and a form of its questions. */
export function AnswersOf({ slug, draft, change }: Editing & { slug: string }) {
  const sets = useSets().data?.items ?? [];
  const name = draft.set?.split("@")[0] ?? "";
  const choose = (next: string) => {
    const set = sets.find((s) => s.name === next);
    change((now) => ({
      ...now,
      set: set && `${set.name}@${set.version}`,
      answers: set ? (now.answers ?? {}) : undefined,
    }));
  };
  return (
    <section aria-labelledby="answers" className="flex flex-col gap-4">
      <h2 id="answers" className="sr-only">
        <Trans>Answers</Trans>
      </h2>
      <Field
        id="question-set"
        label={t`Question set`}
        hint={draft.set ? undefined : t`Without one, the sheet is free text.`}
      >
        <OneOf
          id="question-set"
          value={name}
          none={t`None: free text`}
          of={sets.map((s) => ({ name: s.name, title: s.title }))}
          set={choose}
        />
      </Field>
      {draft.set && (
        <Answering key={draft.set} reference={draft.set} slug={slug} draft={draft} change={change} />
      )}
    </section>
  );
}

function Answering({ reference, slug, draft, change }: Editing & { reference: string; slug: string }) {
  const set = useSet(reference);
  if (set.error) return <Trouble error={set.error} title={t`The questions cannot be shown`} />;
  if (!set.data) return <Waiting lines={6} />;
  return <Form set={set.data.data} slug={slug} draft={draft} change={change} />;
}

function Form({ set, slug, draft, change }: Editing & { set: QuestionSet; slug: string }) {
  const questions = set.groups.flatMap((g) => g.questions);
  const answers = draft.answers ?? {};
  const done = questions.filter((q) => isAnswered(answers[q.name])).length;
  const [way, setWay] = useState(done < questions.length ? "guided" : "all");
  const [reading, setReading] = useState(false);
  const problems = useAnswerProblems({ ...draft, slug });
  const answer = (name: string, value: unknown) =>
    change((now) => ({ ...now, answers: { ...now.answers, [name]: value } as NewEntry["answers"] }));
  return (
    <div className="rounded-card border border-line bg-leaf p-4">
      <div className="mb-3 flex flex-wrap items-center gap-x-4 gap-y-2">
        <Progress done={done} of={questions.length} />
        <Button weight="text" onClick={() => setReading(!reading)} aria-expanded={reading}>
          <Trans>Read from a text…</Trans>
        </Button>
        <span className="ms-auto">
          <Choice label={t`How to answer`} value={way} onChange={setWay} options={ways} />
        </span>
      </div>
      <Newer set={set} change={change} />
      <LeftOver set={set} draft={draft} change={change} />
      {reading && (
        <ReadAnswers
          reference={`${set.name}@${set.version}`}
          take={(got) => {
            change((now) => ({ ...now, answers: { ...now.answers, ...got } }));
            setReading(false);
            setWay("all");
          }}
        />
      )}
      {way === "guided" ? (
        <Guided
          set={set}
          answers={answers}
          answer={answer}
          problems={problems}
          finish={() => setWay("all")}
        />
      ) : (
        <AllQuestions set={set} answers={answers} answer={answer} problems={problems} />
      )}
    </div>
  );
}

/** What does not hold of the answers, as the checks say it. */
function useAnswerProblems(draft: NewEntry): Problem[] {
  const found = useCheck(useSettled(draft)).data?.findings ?? [];
  return found
    .filter((f) => f.field.startsWith("/answers/") && f.rule !== "answer-missing")
    .map((f) => ({ field: f.field.replace("/answers/", "/values/"), code: f.rule, message: f.message }));
}

export function isAnswered(v: unknown): boolean {
  return v !== undefined && v !== null && v !== "" && !(Array.isArray(v) && v.length === 0);
}

function Progress({ done, of }: { done: number; of: number }) {
  return (
    <span className="flex items-center gap-2">
      <span aria-hidden className="h-1.5 w-32 overflow-hidden rounded-full bg-line">
        <span className="block h-full bg-gilt" style={{ width: `${(100 * done) / of}%` }} />
      </span>
      <span className="text-small text-faded" role="status">
        <Trans>
          {done} of {of} answered
        </Trans>
      </span>
    </span>
  );
}

/** Offers the newest version of the set, where the sheet answers an older one. */
function Newer({ set, change }: { set: QuestionSet; change: Editing["change"] }) {
  if (set.newest <= set.version) return null;
  return (
    <div role="status" className="mb-3 flex flex-wrap items-center gap-4 rounded-field bg-wash px-3 py-2">
      <p className="min-w-0 flex-1">
        <Trans>
          The questions have gone on to version {set.newest}. Your answers stay; what is new is asked.
        </Trans>
      </p>
      <Button onClick={() => change((now) => ({ ...now, set: `${set.name}@${set.newest}` }))}>
        <Trans>Answer version {set.newest}</Trans>
      </Button>
    </div>
  );
}

/** Answers to questions that this version of the set does not ask. */
function LeftOver({ set, draft, change }: Editing & { set: QuestionSet }) {
  const asked = set.groups.flatMap((g) => g.questions.map((q) => q.name));
  const left = Object.entries(draft.answers ?? {}).filter(
    ([name, v]) => !asked.includes(name) && isAnswered(v),
  );
  if (left.length === 0) return null;
  const drop = (name: string) =>
    change((now) => ({
      ...now,
      answers: Object.fromEntries(Object.entries(now.answers ?? {}).filter(([n]) => n !== name)),
    }));
  return (
    <div role="status" className="mb-3 rounded-field bg-wash px-3 py-2">
      <p>
        <Trans>This version does not ask these any more. Move what is worth it into the text below.</Trans>
      </p>
      <ul>
        {left.map(([name, v]) => (
          <li key={name} className="flex items-baseline gap-3">
            <span className="min-w-0 flex-1">
              <code className="font-mono text-small">{name}</code>: {String(v)}
            </span>
            <Button weight="text" aria-label={t`Take ${name} out`} onClick={() => drop(name)}>
              <Trans>Take out</Trans>
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
}
