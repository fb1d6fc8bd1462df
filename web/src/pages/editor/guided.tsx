import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import type { Problem, Value } from "../../data/api";
import type { Answers, QuestionSet } from "../../data/sets";
import { BlankFields } from "../../parts/blankfields";
import { Button } from "../../parts/basics";
import { blankOf } from "./allquestions";
import { isAnswered } from "./answers";

/**
 * One question at a time: Enter goes on, and what is left for later comes again at the end.
 * Where text may have lines, Ctrl and Enter go on.
 */
export function Guided({
  set,
  answers,
  answer,
  problems,
  finish,
}: {
  set: QuestionSet;
  answers: Answers;
  answer: (name: string, value: Value) => void;
  problems: Problem[];
  finish: () => void;
}) {
  const questions = set.groups.flatMap((g) => g.questions.map((q) => ({ ...q, group: g.title })));
  const [first] = useState(() => questions.find((q) => !isAnswered(answers[q.name]))?.name);
  const [at, setAt] = useState(first ?? questions[0]?.name ?? "");
  const [later, setLater] = useState<string[]>([]);
  const here = questions.findIndex((q) => q.name === at);
  const q = questions[here];
  const form = useRef<HTMLDivElement>(null);
  const [moved, setMoved] = useState(false);
  useEffect(() => {
    if (moved) form.current?.querySelector<HTMLElement>("input, textarea, select")?.focus();
  }, [at, moved]);
  if (!q) return null;
  const go = (name: string | undefined) => {
    setMoved(true);
    if (name === undefined) finish();
    else setAt(name);
  };
  const open = (from: number, put: string[]) => {
    const waiting = (o: (typeof questions)[number]) => !isAnswered(answers[o.name]) && o.name !== q.name;
    return (
      questions.slice(from).find((o) => waiting(o) && !put.includes(o.name)) ??
      questions.find((o) => waiting(o) && put.includes(o.name))
    )?.name;
  };
  const next = () => go(open(here + 1, later));
  const putOff = () => {
    const put = [...later.filter((l) => l !== q.name), q.name];
    setLater(put);
    go(open(here + 1, put));
  };
  const onKey = (e: KeyboardEvent) => {
    const long = (e.target as HTMLElement).tagName === "TEXTAREA";
    if (e.key !== "Enter" || (long && !e.ctrlKey) || (e.target as HTMLElement).tagName === "BUTTON") return;
    e.preventDefault();
    next();
  };
  return (
    <div ref={form} onKeyDown={onKey}>
      <p className="mb-2 text-small text-faded">
        <Trans>
          {q.group} · question {here + 1} of {questions.length}
        </Trans>
      </p>
      <BlankFields
        blanks={[blankOf(q)]}
        values={answers}
        problems={problems}
        onChange={(values) => answer(q.name, values[q.name] ?? "")}
      />
      <div className="mt-4 flex flex-wrap items-center gap-3">
        <Button weight="main" onClick={next}>
          {isAnswered(answers[q.name]) ? t`Next` : t`Leave it open`}
        </Button>
        <Button onClick={putOff}>
          <Trans>Later</Trans>
        </Button>
        <Button weight="text" disabled={here === 0} onClick={() => go(questions[here - 1]?.name)}>
          <Trans>Back</Trans>
        </Button>
        <span className="text-small text-faded max-sm:hidden">
          {q.type === "text" ? t`Ctrl ⏎` : "⏎"}{" "}
          <Trans>goes on. What is not answered says so; nothing is made up.</Trans>
        </span>
      </div>
    </div>
  );
}
