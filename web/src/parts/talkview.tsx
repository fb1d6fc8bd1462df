import { decimals } from "../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Square } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import {
  useFollowUp,
  useModels,
  useLiveReply,
  useStopReply,
  useTalk,
  isOver,
  type Talk,
  type TalkReply,
} from "../data/talks";
import { useStarters } from "../data/import";
import { wordCount } from "../data/words";
import { Button, fieldLook, sentence, Trouble, Waiting } from "./basics";
import { Columns } from "./columns";
import { KeepReply } from "./keepreply";

/** A talk with models: what was asked and what came, turn by turn, as it comes. */
export function TalkView({ id, narrow }: { id: string; narrow?: boolean }) {
  const talk = useTalk(id);
  if (talk.error) return <Trouble error={talk.error} title={t`The talk cannot be shown`} />;
  if (!talk.data) return <Waiting lines={4} />;
  const turns = [...new Set(talk.data.replies.map((r) => r.turn))];
  const last = turns.at(-1);
  return (
    <div className="flex flex-col gap-5">
      {turns.map((turn) => (
        <Turn
          key={turn}
          talk={talk.data}
          turn={turn}
          goOn={turn === last && talk.data.mine}
          narrow={narrow}
        />
      ))}
    </div>
  );
}

function Turn({ talk, turn, goOn, narrow }: { talk: Talk; turn: number; goOn: boolean; narrow?: boolean }) {
  const replies = talk.replies.filter((r) => r.turn === turn);
  const differ = talk.differences?.find((d) => d.turn === turn);
  const [marked, setMarked] = useState(false);
  const said = replies[0]?.messages.at(-1)?.text ?? "";
  return (
    <section aria-label={turn === 1 ? t`What it says` : said}>
      {turn > 1 && <p className="mb-2 ms-auto w-fit max-w-[70%] rounded-card bg-wash px-3 py-2">{said}</p>}
      {differ && (
        <Button weight="text" className="mb-1 text-small" onClick={() => setMarked(!marked)}>
          {marked ? t`Show them as they are` : t`Mark what differs`}
        </Button>
      )}
      {marked && differ ? (
        <div className="rounded-card border border-line bg-leaf p-4">
          <div className="mb-3 grid grid-cols-2 gap-5 font-semibold">
            {replies.map((r) => (
              <h3 key={r.id} className="px-1 text-base">
                {r.title}
              </h3>
            ))}
          </div>
          <Columns lines={differ.lines} />
        </div>
      ) : (
        <div className={`grid gap-4 ${replies.length > 1 && !narrow ? "wide:grid-cols-2" : ""}`}>
          {replies.map((r) => (
            <Reply key={r.id} talk={talk} reply={r} goOn={goOn} />
          ))}
        </div>
      )}
    </section>
  );
}

function Reply({ talk, reply, goOn }: { talk: Talk; reply: TalkReply; goOn: boolean }) {
  const now = useLiveReply(reply);
  const stop = useStopReply();
  const currency = useModels().data?.currency ?? "";
  return (
    <article aria-label={t`Reply: ${now.title}`} className="min-w-0 rounded-card border border-line bg-leaf">
      <header className="flex min-h-11 flex-wrap items-center gap-x-3 border-b border-line px-4 py-1.5">
        <h3 className="text-base font-semibold">{now.title}</h3>
        <p className="text-small text-faded" role="status">
          {figures(now, currency)}
        </p>
        {!isOver(now) && (
          <Button
            className="ms-auto !py-1"
            onClick={() => stop.mutate(now.id, { onError: (e) => toast.error(e.message) })}
          >
            <Square size={14} aria-hidden /> <Trans>Stop</Trans>
          </Button>
        )}
      </header>
      <div className="px-4 py-3">
        {now.problem && (
          <p role="alert" className="mb-2 text-stop">
            {sentence(now.problem)}
          </p>
        )}
        <p className="font-serif leading-[26px] break-words whitespace-pre-wrap">{now.text}</p>
        <details className="mt-3 text-small">
          <summary className="w-fit cursor-pointer font-semibold">
            <Trans>What was sent</Trans>
          </summary>
          <p className="mt-2 text-faded">
            <Trans>
              To {now.model}, from {now.used.map((u) => `${u.entry}@${u.version}`).join(", ")}
            </Trans>
          </p>
          {now.messages.map((m, i) => (
            <div key={i} className="mt-2">
              <p className="font-semibold">{roles[m.role]}</p>
              <pre className="font-mono break-words whitespace-pre-wrap">{m.text}</pre>
            </div>
          ))}
        </details>
        {talk.mine && now.state === "done" && (
          <p className="mt-2 -ms-1">
            <KeepReply reply={now} slug={talk.slug} title={talk.title} />
          </p>
        )}
        {goOn && now.state === "done" && <GoOn reply={now} />}
      </div>
    </article>
  );
}

const roles = { system: t`System`, user: t`You`, assistant: t`The model` };

/** What is asked of a reply. */
function GoOn({ reply }: { reply: TalkReply }) {
  const [text, setText] = useState("");
  const ask = useFollowUp(reply.talk);
  const refinements = useStarters().data?.refinements ?? [];
  return (
    <form
      aria-label={t`Go on with ${reply.title}`}
      className="mt-3 flex flex-wrap items-start gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        ask.mutate({ after: reply.id, text }, { onSuccess: () => setText("") });
      }}
    >
      <input
        aria-label={t`Ask something of ${reply.title}`}
        className={`${fieldLook} !w-auto min-w-40 flex-1`}
        placeholder={t`Shorter, warmer, or whatever else…`}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" disabled={ask.isPending || !text.trim()}>
        <Trans>Ask</Trans>
      </Button>
      {refinements.length > 0 && (
        <p className="flex w-full flex-wrap gap-2">
          {refinements.map((r) => (
            <Button
              key={r.slug}
              className="!px-3 !py-1 text-small"
              disabled={ask.isPending}
              onClick={() => ask.mutate({ after: reply.id, refinement: r.slug })}
            >
              {r.title}
            </Button>
          ))}
        </p>
      )}
      <div className="w-full">
        <Trouble error={ask.error} title={t`It was not asked`} />
      </div>
    </form>
  );
}

/** What a reply took, in words. */
export function figures(r: TalkReply, currency: string): string {
  if (r.state === "waiting") return r.attempts > 0 ? t`Asked again in a moment…` : t`Waiting…`;
  if (r.state === "running") return r.text ? t`Writing…` : t`Asked…`;
  const parts = [t`${wordCount(r.text)} words`];
  if (r.tokens.in > 0) parts.push(t`${r.tokens.in} tokens in, ${r.tokens.out} out`);
  if (r.whole_ms) parts.push(`${decimals(r.whole_ms / 1000, 1)} s`);
  if (r.cost !== undefined && r.cost > 0) parts.push(`${r.cost.toPrecision(2)} ${currency}`);
  if (r.state === "stopped") parts.push("stopped");
  if (r.state === "failed") parts.push("failed");
  if (r.reason === "length") parts.push(t`as long as it may be`);
  if (r.reason === "refused") parts.push(t`not answered`);
  return parts.join(" · ");
}
