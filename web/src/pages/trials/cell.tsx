import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useMark, useTrialCell, type Trial, type TrialReply } from "../../data/trials";
import { Button, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { figure } from "./drawings";

/** A cell, opened: its replies, each with what was expected and where it was met or not. */
export function Cell({
  trial,
  fill,
  setUp,
  close,
}: {
  trial: Trial;
  fill: number;
  setUp: number;
  close: () => void;
}) {
  const cell = useTrialCell(trial.id, fill, setUp);
  const [sent, setSent] = useState(false);
  return (
    <Dialog open onOpen={close} wide title={`${trial.plan.fills[fill]!.name}, ${trial.set_ups[setUp]!}`}>
      <Trouble error={cell.error} title={t`The cell cannot be opened`} />
      {!cell.data && !cell.error && <Waiting />}
      {cell.data && (
        <>
          <Button
            weight="text"
            className="mb-3 text-small"
            aria-expanded={sent}
            onClick={() => setSent(!sent)}
          >
            {cell.data.replies.some((r) => r.run)
              ? sent
                ? t`Hide what was given`
                : t`Show what was given`
              : sent
                ? t`Hide what was sent`
                : t`Show exactly what was sent`}
          </Button>
          {sent && (
            <div className="mb-4 flex flex-col gap-2">
              {cell.data.messages.map((m, i) => (
                <div key={i} className="rounded-card border border-line bg-leaf px-3 py-2">
                  <p className="text-small font-semibold text-faded">{m.role}</p>
                  <pre className="font-mono text-small break-words whitespace-pre-wrap">{m.text}</pre>
                </div>
              ))}
            </div>
          )}
          <ul className="flex flex-col gap-5">
            {cell.data.replies.map((r) => (
              <li key={r.id}>
                <Reply trial={trial} reply={r} />
              </li>
            ))}
          </ul>
        </>
      )}
    </Dialog>
  );
}

const signs = { met: "✓", missed: "✗", unknown: "?" } as const;
const stateWords = { met: t`met`, missed: t`missed`, unknown: t`not known` } as const;

function Reply({ trial, reply: r }: { trial: Trial; reply: TrialReply }) {
  const [at, setAt] = useState<number | null>(null);
  const mark = useMark(trial.id);
  const spans = at === null ? [] : (r.outcomes[at]?.at ?? []);
  const words = {
    waiting: t`waits its turn`,
    running: t`comes`,
    done: "",
    failed: t`failed`,
    stopped: t`stopped`,
  };
  return (
    <article className="grid gap-4 wide:grid-cols-[1fr_320px]">
      <div className="min-w-0">
        <p className="mb-1 text-small text-faded">
          <Trans>Reply {r.time}</Trans>
          {words[r.state] && ` · ${words[r.state]}`}
          {r.state === "done" &&
            t` · ${r.words} words · ${figure(r.whole_ms / 1000)} s · ${r.tokens.in} tokens in, ${r.tokens.out} out`}
        </p>
        {r.run && (
          <Link
            to="/runs/$id"
            params={{ id: r.run }}
            className="mb-1 inline-block text-small font-semibold text-gold hover:underline"
          >
            <Trans>Its steps</Trans>
          </Link>
        )}
        {r.problem && <p className="text-stop">{r.problem}</p>}
        {r.text && (
          <div className="rounded-card border border-line bg-leaf px-4 py-3 font-serif leading-[25px] break-words whitespace-pre-wrap">
            <Marked text={r.text} spans={spans} />
          </div>
        )}
      </div>
      <ul className="flex flex-col gap-1 text-small wide:mt-6">
        {r.outcomes.map((o, i) => {
          const kind = trial.plan.expectations[i]!.kind;
          const mine = r.marks?.find((m) => m.expectation === i && m.mine);
          return (
            <li key={i}>
              <button
                type="button"
                disabled={!o.at?.length}
                aria-pressed={at === i}
                onClick={() => setAt(at === i ? null : i)}
                className="flex w-full items-start gap-2 rounded-field px-1.5 py-1 text-start enabled:hover:bg-wash aria-pressed:bg-wash"
              >
                <span
                  role="img"
                  aria-label={stateWords[o.state]}
                  className={`font-bold ${o.state === "missed" ? "text-stop" : o.state === "met" ? "text-style" : "text-faded"}`}
                >
                  {signs[o.state]}
                </span>
                <span>
                  {trial.says[i]}
                  {o.note && <span className="block text-faded">{o.note}</span>}
                </span>
              </button>
              {(kind === "mark" || kind === "verdict") && r.state === "done" && (
                <span className="ms-6 flex gap-3">
                  {[true, false].map((met) => (
                    <Button
                      key={String(met)}
                      weight="text"
                      aria-pressed={mine?.met === met}
                      className="aria-pressed:underline"
                      onClick={() => mark.mutate({ reply: r.id, expectation: i, met })}
                    >
                      {met ? t`I say yes` : t`I say no`}
                    </Button>
                  ))}
                </span>
              )}
            </li>
          );
        })}
        <Trouble error={mark.error} />
      </ul>
    </article>
  );
}

/** A text with parts of it marked; the places are in bytes. */
function Marked({ text, spans }: { text: string; spans: { start: number; end: number }[] }) {
  if (spans.length === 0) return <>{text}</>;
  const bytes = new TextEncoder().encode(text);
  const read = new TextDecoder();
  const parts: { text: string; mark: boolean }[] = [];
  let from = 0;
  for (const s of [...spans].sort((a, b) => a.start - b.start)) {
    if (s.start < from) continue;
    parts.push({ text: read.decode(bytes.slice(from, s.start)), mark: false });
    parts.push({ text: read.decode(bytes.slice(s.start, s.end)), mark: true });
    from = s.end;
  }
  parts.push({ text: read.decode(bytes.slice(from)), mark: false });
  return (
    <>
      {parts.map((p, i) =>
        p.mark ? (
          <mark key={i} className="bg-wash text-ink outline outline-gilt">
            {p.text}
          </mark>
        ) : (
          <span key={i}>{p.text}</span>
        ),
      )}
    </>
  );
}
