import { ThumbsDown, ThumbsUp } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import type { Entry } from "../../data/api";
import { useLabels, useSession } from "../../data/hooks";
import { dateWords } from "../../data/times";
import { useAddReport, useAnswerReport, useReports, type Report } from "../../data/use";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { OneOf } from "../../parts/oneof";

/** How it went with an entry: what was said, and a place to say it. */
export function Reports({ entry }: { entry: Entry }) {
  const reports = useReports(entry.slug).data;
  const me = useSession().data;
  const [saying, setSaying] = useState<boolean>();
  if (!reports) return null;
  const keeper = me?.role === "curator" || me?.name === entry.owner || me?.name === entry.deputy;
  return (
    <section aria-labelledby="how-it-went" className="mt-10" id="reports">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-4 gap-y-2 border-b-2 border-gilt pb-1">
        <h2 id="how-it-went" className="text-lead">
          How it went
        </h2>
        <p className="text-small text-faded">
          worked {reports.worked} · fell short {reports.fell_short}
        </p>
        <span className="ml-auto flex gap-3">
          <Button weight="text" onClick={() => setSaying(true)}>
            <ThumbsUp size={14} aria-hidden />
            It worked
          </Button>
          <Button weight="text" onClick={() => setSaying(false)}>
            <ThumbsDown size={14} aria-hidden />
            It fell short
          </Button>
        </span>
      </div>
      {reports.items.length === 0 ? (
        <p className="text-small text-faded">Nobody has said yet. Whoever answers for the entry reads it.</p>
      ) : (
        <ul className="flex flex-col gap-3">
          {reports.items.map((r) => (
            <Said key={r.id} slug={entry.slug} report={r} mayAnswer={keeper && !r.worked && !r.settled_at} />
          ))}
        </ul>
      )}
      {saying !== undefined && <Say slug={entry.slug} worked={saying} close={() => setSaying(undefined)} />}
    </section>
  );
}

function Said({ slug, report, mayAnswer }: { slug: string; report: Report; mayAnswer: boolean }) {
  const [answering, setAnswering] = useState(false);
  return (
    <li className="rounded-card border border-line bg-leaf px-4 py-3">
      <p className="flex flex-wrap items-center gap-x-3 text-small text-faded">
        <b className="text-ink">{report.worked ? "✓ Worked" : "✕ Fell short"}</b>
        <span>
          {report.by_name}, {dateWords(report.at)}, version {report.version}
          {report.model && `, ${report.model}`}
        </span>
        {mayAnswer && (
          <Button weight="text" className="ml-auto" onClick={() => setAnswering(true)}>
            Answer
          </Button>
        )}
      </p>
      {report.words && <p className="mt-1 max-w-prose whitespace-pre-wrap">{report.words}</p>}
      {report.reply && (
        <details className="mt-1 text-small">
          <summary className="cursor-pointer font-semibold text-gold">What the model answered</summary>
          <p className="mt-1 max-w-prose whitespace-pre-wrap">{report.reply}</p>
        </details>
      )}
      {!report.worked && <p className="mt-1 text-small text-faded">{outcome(report)}</p>}
      <AnswerReport slug={slug} report={report} open={answering} onOpen={setAnswering} />
    </li>
  );
}

function outcome(r: Report): string {
  if (!r.settled_at) return r.settled_in ? `Version ${r.settled_in} is to settle it` : "Waits";
  return r.settled_in ? `Settled by version ${r.settled_in}` : `Answered: ${r.answer}`;
}

function AnswerReport(props: { slug: string; report: Report; open: boolean; onOpen: (o: boolean) => void }) {
  const [because, setBecause] = useState("");
  const answer = useAnswerReport(props.slug);
  return (
    <Dialog open={props.open} onOpen={props.onOpen} title="Answer the report">
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          answer.mutate(
            { id: props.report.id, because },
            {
              onSuccess: () => {
                props.onOpen(false);
                toast.success(`${props.report.by_name} hears your answer`);
              },
            },
          );
        }}
      >
        <p>This settles it without a new version. A new version settles it when it is submitted with it.</p>
        <Trouble error={answer.error} />
        <Field id="answer-report" label={`What do you answer ${props.report.by_name}?`}>
          <textarea
            id="answer-report"
            rows={3}
            required
            className={fieldLook}
            value={because}
            onChange={(e) => setBecause(e.target.value)}
          />
        </Field>
        <Button type="submit" weight="main" disabled={answer.isPending}>
          Answer
        </Button>
      </form>
    </Dialog>
  );
}

function Say({ slug, worked, close }: { slug: string; worked: boolean; close: () => void }) {
  const [model, setModel] = useState("");
  const [words, setWords] = useState("");
  const [reply, setReply] = useState("");
  const add = useAddReport(slug);
  const models = useLabels().data?.find((f) => f.name === "model")?.terms ?? [];
  return (
    <Dialog open onOpen={close} title={worked ? "It worked" : "It fell short"}>
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate(
            { worked, model, words, reply },
            {
              onSuccess: () => {
                close();
                toast.success("Thank you: whoever answers for it reads this");
              },
            },
          );
        }}
      >
        <Trouble error={add.error} />
        <Field id="report-model" label="Which model answered?">
          <OneOf
            id="report-model"
            value={model}
            set={setModel}
            none="I do not know"
            of={models.filter((m) => !m.retired)}
          />
        </Field>
        <Field
          id="report-words"
          label={worked ? "Anything to say of it?" : "What was wrong?"}
          hint="Colleagues read this with your name."
        >
          <textarea
            id="report-words"
            rows={3}
            className={fieldLook}
            value={words}
            onChange={(e) => setWords(e.target.value)}
          />
        </Field>
        <Field
          id="report-reply"
          label="What did the model answer?"
          hint="Only if you like. Whoever answers for the entry reads it, and reviewers."
        >
          <textarea
            id="report-reply"
            rows={4}
            className={fieldLook}
            value={reply}
            onChange={(e) => setReply(e.target.value)}
          />
        </Field>
        <Button type="submit" weight="main" disabled={add.isPending}>
          Send
        </Button>
      </form>
    </Dialog>
  );
}
