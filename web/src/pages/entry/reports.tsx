import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
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
          <Trans>How it went</Trans>
        </h2>
        <p className="text-small text-faded">
          <Trans>
            worked {reports.worked} · fell short {reports.fell_short}
          </Trans>
        </p>
        <span className="ms-auto flex gap-3">
          <Button weight="text" onClick={() => setSaying(true)}>
            <ThumbsUp size={14} aria-hidden />
            <Trans>It worked</Trans>
          </Button>
          <Button weight="text" onClick={() => setSaying(false)}>
            <ThumbsDown size={14} aria-hidden />
            <Trans>It fell short</Trans>
          </Button>
        </span>
      </div>
      {reports.items.length === 0 ? (
        <p className="text-small text-faded">
          <Trans>Nobody has said yet. Whoever answers for the entry reads it.</Trans>
        </p>
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
        <b className="text-ink">{report.worked ? t`✓ Worked` : t`✕ Fell short`}</b>
        <span>
          <Trans>
            {report.by_name}, {dateWords(report.at)}, version {report.version}
          </Trans>
          {report.model && `, ${report.model}`}
        </span>
        {mayAnswer && (
          <Button weight="text" className="ms-auto" onClick={() => setAnswering(true)}>
            <Trans>Answer</Trans>
          </Button>
        )}
      </p>
      {report.words && <p className="mt-1 max-w-prose whitespace-pre-wrap">{report.words}</p>}
      {report.reply && (
        <details className="mt-1 text-small">
          <summary className="cursor-pointer font-semibold text-gold">
            <Trans>What the model answered</Trans>
          </summary>
          <p className="mt-1 max-w-prose whitespace-pre-wrap">{report.reply}</p>
        </details>
      )}
      {!report.worked && <p className="mt-1 text-small text-faded">{outcome(report)}</p>}
      <AnswerReport slug={slug} report={report} open={answering} onOpen={setAnswering} />
    </li>
  );
}

function outcome(r: Report): string {
  if (!r.settled_at) return r.settled_in ? t`Version ${r.settled_in} is to settle it` : t`Waits`;
  return r.settled_in ? t`Settled by version ${r.settled_in}` : `Answered: ${r.answer}`;
}

function AnswerReport(props: { slug: string; report: Report; open: boolean; onOpen: (o: boolean) => void }) {
  const [because, setBecause] = useState("");
  const answer = useAnswerReport(props.slug);
  return (
    <Dialog open={props.open} onOpen={props.onOpen} title={t`Answer the report`}>
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          answer.mutate(
            { id: props.report.id, because },
            {
              onSuccess: () => {
                props.onOpen(false);
                toast.success(t`${props.report.by_name} hears your answer`);
              },
            },
          );
        }}
      >
        <p>
          <Trans>
            This settles it without a new version. A new version settles it when it is submitted with it.
          </Trans>
        </p>
        <Trouble error={answer.error} />
        <Field id="answer-report" label={t`What do you answer ${props.report.by_name}?`}>
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
          <Trans>Answer</Trans>
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
    <Dialog open onOpen={close} title={worked ? t`It worked` : t`It fell short`}>
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate(
            { worked, model, words, reply },
            {
              onSuccess: () => {
                close();
                toast.success(t`Thank you: whoever answers for it reads this`);
              },
            },
          );
        }}
      >
        <Trouble error={add.error} />
        <Field id="report-model" label={t`Which model answered?`}>
          <OneOf
            id="report-model"
            value={model}
            set={setModel}
            none={t`I do not know`}
            of={models.filter((m) => !m.retired)}
          />
        </Field>
        <Field
          id="report-words"
          label={worked ? t`Anything to say of it?` : t`What was wrong?`}
          hint={t`Colleagues read this with your name.`}
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
          label={t`What did the model answer?`}
          hint={t`Only if you like. Whoever answers for the entry reads it, and reviewers.`}
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
          <Trans>Send</Trans>
        </Button>
      </form>
    </Dialog>
  );
}
