import { t } from "@lingui/core/macro";
import type { Blank, Problem, Value } from "../../data/api";
import type { Answers, Question, QuestionSet } from "../../data/sets";
import { questionOf } from "../../data/sets";
import { BlankFields } from "../../parts/blankfields";

/** A question as the blank that takes its answer. */
export function blankOf(q: Question): Blank {
  const help = [q.help, q.example && t`Such as: ${q.example}`].filter(Boolean).join(" ");
  return {
    name: q.name,
    ask: questionOf(q),
    hint: help || undefined,
    type: q.type,
    options: q.options,
    optional: q.optional,
  };
}

/** Every question of a set with its answer, group by group. */
export function AllQuestions({
  set,
  answers,
  answer,
  problems,
}: {
  set: QuestionSet;
  answers: Answers;
  answer: (name: string, value: Value) => void;
  problems: Problem[];
}) {
  return (
    <div className="flex flex-col gap-6">
      {set.groups.map((g) => (
        <section key={g.title} aria-label={g.title}>
          <h3 className="mb-2 border-b-2 border-gilt pb-1 text-[17px]">{g.title}</h3>
          <BlankFields
            blanks={g.questions.map(blankOf)}
            values={answers}
            problems={problems}
            onChange={(next) => {
              for (const q of g.questions)
                if (next[q.name] !== answers[q.name]) answer(q.name, next[q.name] ?? "");
            }}
          />
        </section>
      ))}
    </div>
  );
}
