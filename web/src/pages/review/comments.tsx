import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Entry } from "../../data/api";
import type { Comment } from "../../data/history";
import { useAddComment, useComments, useSettleComment } from "../../data/history";
import { agoWords } from "../../data/times";
import { Button, fieldLook, Trouble } from "../../parts/basics";

/** A stretch of the text that is marked, in bytes of it. */
export interface Marked {
  text: string;
  start: number;
  end: number;
}

/** What was said about the version and its passages, and a place to say more. */
export function Comments({ entry, marked, clear }: { entry: Entry; marked?: Marked; clear: () => void }) {
  const all = useComments(entry.slug, entry.version);
  if (all.error) return <Trouble error={all.error} />;
  return (
    <>
      <ol className="flex flex-col gap-3 empty:hidden">
        {all.data?.items.map((c) => (
          <Thread key={c.id} slug={entry.slug} comment={c} />
        ))}
      </ol>
      <Say entry={entry} marked={marked} clear={clear} />
    </>
  );
}

const became = { same: "", changed: t` (changed since)`, removed: t` (no longer there)` };

function Thread({ slug, comment }: { slug: string; comment: Comment }) {
  const [answering, setAnswering] = useState(false);
  const settle = useSettleComment(slug);
  const settled = comment.settled_at !== undefined;
  return (
    <li className={`border-s-2 ps-3 ${settled ? "border-line text-faded" : "border-gilt"}`}>
      {comment.passage && (
        <p className="mb-1 text-small">
          <q className="font-mono">{comment.passage.exact}</q>
          <span className="text-faded">{became[comment.passage.now]}</span>
        </p>
      )}
      <Said comment={comment} />
      {comment.answers.map((a) => (
        <div key={a.id} className="mt-1.5 ms-3">
          <Said comment={a} />
        </div>
      ))}
      <div className="mt-1 flex gap-3 text-small">
        {!settled && (
          <Button weight="text" onClick={() => setAnswering(!answering)} aria-expanded={answering}>
            <Trans>Answer</Trans>
          </Button>
        )}
        <Button
          weight="text"
          onClick={() =>
            settle.mutate({ id: comment.id, settled: !settled }, { onError: (e) => toast.error(e.message) })
          }
        >
          {settled ? t`Reopen` : t`Settle`}
        </Button>
        {settled && (
          <span className="text-faded">
            <Trans>settled by {comment.settled_by}</Trans>
          </span>
        )}
      </div>
      {answering && <Answer slug={slug} to={comment.id} done={() => setAnswering(false)} />}
    </li>
  );
}

function Said({ comment }: { comment: Comment }) {
  return (
    <p className="break-words whitespace-pre-wrap">
      {comment.text}{" "}
      <span className="text-small text-faded">
        {comment.by_name}, {agoWords(comment.at)}
      </span>
    </p>
  );
}

function Answer({ slug, to, done }: { slug: string; to: number; done: () => void }) {
  const [text, setText] = useState("");
  const add = useAddComment(slug);
  return (
    <form
      className="mt-2 flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate({ text, answer_to: to }, { onSuccess: done });
      }}
    >
      <Trouble error={add.error} />
      <textarea
        rows={2}
        required
        aria-label={t`Your answer`}
        className={fieldLook}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" disabled={add.isPending} className="self-start !py-1">
        <Trans>Send answer</Trans>
      </Button>
    </form>
  );
}

function Say({ entry, marked, clear }: { entry: Entry; marked?: Marked; clear: () => void }) {
  const [text, setText] = useState("");
  const add = useAddComment(entry.slug);
  return (
    <form
      className="mt-3 flex flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate(
          { text, version: entry.version, start: marked?.start, end: marked?.end },
          {
            onSuccess: () => {
              setText("");
              clear();
            },
          },
        );
      }}
    >
      <Trouble error={add.error} />
      {marked ? (
        <p className="text-small">
          <Trans>
            On <q className="font-mono break-words">{marked.text}</q>
          </Trans>{" "}
          <Button weight="text" onClick={clear}>
            <Trans>on the whole instead</Trans>
          </Button>
        </p>
      ) : (
        <p className="text-small text-faded">
          <Trans>Mark a passage of the text to say something about it alone.</Trans>
        </p>
      )}
      <textarea
        id="comment"
        rows={2}
        required
        aria-label={t`Your comment`}
        className={fieldLook}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <Button type="submit" disabled={add.isPending} className="self-start !py-1">
        <Trans>Comment</Trans>
      </Button>
    </form>
  );
}

/** What is marked within an element that shows a text as it is, in bytes of that text. */
export function markedIn(element: HTMLElement): Marked | undefined {
  const selection = document.getSelection();
  if (!selection || selection.isCollapsed || selection.rangeCount === 0) return undefined;
  const range = selection.getRangeAt(0);
  if (!element.contains(range.startContainer) || !element.contains(range.endContainer)) return undefined;
  const before = document.createRange();
  before.setStart(element, 0);
  before.setEnd(range.startContainer, range.startOffset);
  const bytes = (text: string) => new TextEncoder().encode(text).length;
  const start = bytes(before.toString());
  const text = range.toString();
  return { text, start, end: start + bytes(text) };
}
