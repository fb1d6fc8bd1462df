import { listWords } from "../../languages/figures";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { Square } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import {
  overWords,
  useDeleteRun,
  useKeepRun,
  useRun,
  useRunStep,
  useStopRun,
  type Run,
  type RunStep,
} from "../../data/runs";
import { isOver, useLiveReply, useModels } from "../../data/talks";
import { timeWords } from "../../data/times";
import { wordCount } from "../../data/words";
import { Button, sentence, Trouble, Waiting } from "../../parts/basics";
import { Columns } from "../../parts/columns";
import { Dialog } from "../../parts/dialog";
import { Flow } from "../../parts/flow";
import { figures } from "../../parts/talkview";

const stateWords = {
  running: t`Running…`,
  done: t`Done`,
  failed: t`Not every step is done`,
  stopped: t`Stopped`,
};

/** One run of a relay: what each step was sent and said, as it comes. */
export function RunPage() {
  const { id } = useParams({ strict: false }) as { id: string };
  const run = useRun(id);
  if (run.error) return <Trouble error={run.error} title={t`The run cannot be shown`} />;
  if (!run.data) return <Waiting lines={10} />;
  const inOrder = [...run.data.steps].sort((a, b) => a.wave - b.wave);
  return (
    <>
      <Head run={run.data} />
      <div className="grid items-start gap-7 wide:grid-cols-[1fr_348px]">
        <div className="flex min-w-0 flex-col gap-5">
          {inOrder.map((s) => (
            <Step key={s.name} run={run.data} step={s} />
          ))}
        </div>
        <aside aria-label={t`How it runs`} className="max-wide:order-first wide:sticky wide:top-4">
          <Flow steps={run.data.steps} />
          <Given run={run.data} />
        </aside>
      </div>
    </>
  );
}

function Head({ run }: { run: Run }) {
  const currency = useModels().data?.currency ?? "";
  return (
    <header className="mb-5 flex flex-wrap items-center gap-3">
      <div className="min-w-0 flex-1">
        <h1 className="text-title max-sm:text-head">{run.title}</h1>
        <p className="text-faded" role="status">
          <Trans>
            {stateWords[run.state]} · begun {timeWords(run.at)} ·{" "}
            <Link
              to="/entries/$slug"
              params={{ slug: run.ref.entry }}
              className="font-semibold text-gold hover:underline"
            >
              {run.ref.entry}
            </Link>
            , version {run.ref.version}
          </Trans>
          {run.cost !== undefined && run.cost > 0 && ` · ${run.cost.toPrecision(2)} ${currency}`} ·{" "}
          {run.trial ? (
            <Link
              to="/trials/$id"
              params={{ id: run.trial }}
              className="font-semibold text-gold hover:underline"
            >
              <Trans>The trial that it is part of</Trans>
            </Link>
          ) : (
            <Link to="/runs" className="font-semibold text-gold hover:underline">
              <Trans>Your runs</Trans>
            </Link>
          )}
        </p>
      </div>
      {!run.trial && <Changing run={run} />}
    </header>
  );
}

function Changing({ run }: { run: Run }) {
  const stop = useStopRun();
  const keep = useKeepRun();
  const failed = { onError: (e: Error) => toast.error(e.message) };
  return (
    <>
      {run.state === "running" && (
        <Button disabled={stop.isPending} onClick={() => stop.mutate(run.id, failed)}>
          <Square size={14} aria-hidden /> <Trans>Stop</Trans>
        </Button>
      )}
      <Button aria-pressed={run.kept} onClick={() => keep.mutate({ id: run.id, kept: !run.kept }, failed)}>
        {run.kept ? t`Kept` : t`Keep`}
      </Button>
      <Save run={run} />
      <Delete id={run.id} />
    </>
  );
}

function Save({ run }: { run: Run }) {
  const [open, setOpen] = useState(false);
  const [replies, setReplies] = useState(true);
  const link = (as: string) => `/api/v1/runs/${run.id}/file?as=${as}&replies=${replies}`;
  const look = "rounded-field border border-line px-4 py-2 font-semibold hover:bg-wash";
  return (
    <>
      <Button onClick={() => setOpen(true)}>
        <Trans>Save</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Save this run`}>
        <p className="mb-3">
          <Trans>The file has what the run was given. It can be run again from it.</Trans>
        </p>
        <label className="mb-4 flex items-center gap-2">
          <input type="checkbox" checked={replies} onChange={(e) => setReplies(e.target.checked)} />
          <Trans>With the replies</Trans>
        </label>
        <p className="flex gap-3">
          <a href={link("md")} download className={look}>
            <Trans>As Markdown</Trans>
          </a>
          <a href={link("json")} download className={look}>
            <Trans>As JSON</Trans>
          </a>
        </p>
      </Dialog>
    </>
  );
}

function Delete({ id }: { id: string }) {
  const [asking, setAsking] = useState(false);
  const drop = useDeleteRun();
  const navigate = useNavigate();
  return (
    <>
      <Button onClick={() => setAsking(true)}>
        <Trans>Delete</Trans>
      </Button>
      <Dialog open={asking} onOpen={setAsking} title={t`Delete this run`}>
        <p className="mb-4">
          <Trans>What was asked and answered is gone for good.</Trans>
        </p>
        <Trouble error={drop.error} title={t`It is still there`} />
        <Button
          weight="main"
          disabled={drop.isPending}
          onClick={() =>
            drop.mutate(id, {
              onSuccess: () => {
                toast.success(t`The run is gone`);
                void navigate({ to: "/runs" });
              },
            })
          }
        >
          <Trans>Delete for good</Trans>
        </Button>
      </Dialog>
    </>
  );
}

function Given({ run }: { run: Run }) {
  return (
    <dl className="mt-6 text-small">
      {Object.entries(run.values).map(([name, value]) => (
        <div key={name} className="mb-2">
          <dt className="font-semibold">{name}</dt>
          <dd className="line-clamp-4 break-words whitespace-pre-wrap text-faded">
            {Array.isArray(value) ? value.join(", ") : value}
          </dd>
        </div>
      ))}
    </dl>
  );
}

function Step({ run, step }: { run: Run; step: RunStep }) {
  const [marked, setMarked] = useState(false);
  const again = useRunStep(run.id);
  const takenBy = run.steps.some((s) => s.takes.includes(step.name));
  const waits = step.state === "waiting" || step.state === "asked";
  const passed = step.over !== undefined && step.state === "done";
  return (
    <section aria-label={t`Step ${step.name}`} className="min-w-0 rounded-card border border-line bg-leaf">
      <header className="flex min-h-11 flex-wrap items-center gap-x-3 border-b border-line px-4 py-1.5">
        <h2 className="text-base font-semibold">{step.name}</h2>
        <p className="text-small text-faded">
          {step.use}
          {step.model && t`, asks ${step.model}`}
          {step.over && t`, over ${overWords(step.over)}`}
          {step.state === "waiting" && t` · waits for ${listWords(step.takes)}`}
        </p>
        {!waits && !run.trial && (
          <span className="ms-auto flex gap-2">
            <Button
              className="!px-3 !py-1 text-small"
              disabled={again.isPending}
              onClick={() => again.mutate({ name: step.name, on: false })}
            >
              <Trans>Run this step again</Trans>
            </Button>
            {takenBy && (
              <Button
                className="!px-3 !py-1 text-small"
                disabled={again.isPending}
                onClick={() => again.mutate({ name: step.name, on: true })}
              >
                <Trans>… and on from here</Trans>
              </Button>
            )}
          </span>
        )}
      </header>
      <div className="px-4 py-3 empty:hidden">
        <Trouble error={again.error} title={t`It was not run`} />
        {step.stale && (
          <p role="status" className="mb-2 rounded-field bg-wash px-3 py-1.5 text-small">
            <Trans>What it took has been run again since. This is of what was there before.</Trans>
          </p>
        )}
        {step.problem && (
          <p role="alert" className="mb-2 text-stop">
            {sentence(step.problem)}
          </p>
        )}
        {passed && step.changes && (
          <Button weight="text" className="mb-1 text-small" onClick={() => setMarked(!marked)}>
            {marked ? t`Show it as it reads now` : t`Show what it changed in ${step.over?.step ?? ""}`}
          </Button>
        )}
        {passed && marked && step.changes && <Columns lines={step.changes} />}
        {passed && !marked && (
          <p className="font-serif leading-[26px] break-words whitespace-pre-wrap">{step.text}</p>
        )}
        {!passed && step.replies.map((r) => <LiveReply key={r.id} reply={r} />)}
        {step.replies.length > 0 && <Sent step={step} />}
      </div>
    </section>
  );
}

function LiveReply({ reply }: { reply: RunStep["replies"][number] }) {
  const now = useLiveReply(reply);
  const currency = useModels().data?.currency ?? "";
  return (
    <div className="mb-3 last:mb-0">
      <p className="text-small text-faded" role="status">
        {reply.section && <b>{reply.section}: </b>}
        {figures(now, currency)}
      </p>
      {isOver(now) && now.problem && <p className="text-stop">{sentence(now.problem)}</p>}
      <p className="font-serif leading-[26px] break-words whitespace-pre-wrap">{now.text}</p>
    </div>
  );
}

function Sent({ step }: { step: RunStep }) {
  return (
    <details className="mt-2 text-small">
      <summary className="w-fit cursor-pointer font-semibold">
        <Trans>What was sent</Trans>
        {step.before.length > 0 && t`, and what it said before`}
      </summary>
      {step.replies.map((r) => (
        <div key={r.id} className="mt-2">
          <p className="text-faded">
            <Trans>
              To {r.model}, from {r.used.map((u) => `${u.entry}@${u.version}`).join(", ")}
            </Trans>
            {r.section && t`, for ${r.section}`}
          </p>
          {r.messages.map((m, i) => (
            <pre key={i} className="mt-1 font-mono break-words whitespace-pre-wrap">
              {m.text}
            </pre>
          ))}
        </div>
      ))}
      {step.before.map((r) => (
        <div key={r.id} className="mt-3 border-t border-line pt-2">
          <p className="font-semibold">
            {plural(r.round, { one: "First", other: "The #. time" })}
            {r.section && `, ${r.section}`}
            <Trans>: {wordCount(r.text)} words</Trans>
          </p>
          <p className="font-serif text-base whitespace-pre-wrap">{r.text || r.problem}</p>
        </div>
      ))}
    </details>
  );
}
