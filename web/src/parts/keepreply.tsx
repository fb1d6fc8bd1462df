import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import type { NewEntry } from "../data/api";
import { createEntry, useSession } from "../data/hooks";
import { setPasted } from "../data/pasted";
import { readReplyAsEntry, type TalkReply } from "../data/talks";
import { useAddReport } from "../data/use";
import { useAddSample } from "../data/voices";
import { sentence, Button, Field, fieldLook, Trouble } from "./basics";
import { Dialog } from "./dialog";
import { EntryField } from "./entryfield";

/** What can become of a reply: an example, a snippet, a new entry, a sample, a report. */
export function KeepReply({ reply, slug, title }: { reply: TalkReply; slug?: string; title: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button weight="text" className="text-small" onClick={() => setOpen(true)}>
        <Trans>Use this reply…</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Use this reply`}>
        <Ways reply={reply} slug={slug} title={title} done={() => setOpen(false)} />
      </Dialog>
    </>
  );
}

function Ways({
  reply,
  slug,
  title,
  done,
}: {
  reply: TalkReply;
  slug?: string;
  title: string;
  done: () => void;
}) {
  const session = useSession().data;
  const navigate = useNavigate();
  const [error, setError] = useState<unknown>(null);
  const begin = async (what: () => Promise<NewEntry>) => {
    try {
      const made = await createEntry(await what());
      await navigate({ to: "/entries/$slug/edit", params: { slug: made.slug } });
    } catch (e) {
      setError(e);
    }
  };
  const labels: Record<string, string[]> = session?.department ? { department: [session.department] } : {};
  return (
    <div className="flex flex-col gap-5">
      <Trouble error={error} title={t`Nothing was made`} />
      {session?.role !== "reader" && (
        <div className="flex flex-col items-start gap-2">
          {slug && (
            <Button
              onClick={() => {
                setPasted(reply.text, "example");
                void navigate({ to: "/entries/$slug/edit", params: { slug } });
              }}
            >
              <Trans>A worked example of {title}</Trans>
            </Button>
          )}
          <Button
            onClick={() =>
              void begin(() =>
                Promise.resolve({
                  kind: "snippet",
                  title: t`From ${title}`,
                  body: reply.text,
                  blanks: [],
                  labels,
                }),
              )
            }
          >
            <Trans>A snippet</Trans>
          </Button>
          <Button
            onClick={() =>
              void begin(async () => ({
                ...((await readReplyAsEntry(reply.id)) as NewEntry),
                title: `${title}, again`,
                labels,
              }))
            }
          >
            <Trans>What was asked, as a new entry</Trans>
          </Button>
        </div>
      )}
      {session?.role !== "reader" && <AsSample reply={reply} title={title} done={done} />}
      {slug && <AsReport reply={reply} slug={slug} done={done} />}
    </div>
  );
}

function AsSample({ reply, title, done }: { reply: TalkReply; title: string; done: () => void }) {
  const [style, setStyle] = useState("");
  const add = useAddSample(style);
  return (
    <div className="flex flex-col gap-2 border-t border-line pt-4">
      <p className="font-semibold">
        <Trans>A sample of a style</Trans>
      </p>
      <div className="flex flex-wrap gap-2">
        <span className="w-64">
          <EntryField label={t`The style`} kind="style" value={style} set={setStyle} />
        </span>
        <Button
          disabled={!style || add.isPending}
          onClick={() =>
            add.mutate(
              {
                name: `${title}, ${reply.model}, ${reply.asked_at.slice(0, 16)}`,
                data: new Blob([reply.text]),
                weight: 1,
              },
              {
                onSuccess: () => {
                  toast.success(t`It is a sample of ${style}`);
                  done();
                },
              },
            )
          }
        >
          <Trans>Add it</Trans>
        </Button>
      </div>
      <Trouble error={add.error} title={t`It was not added`} />
    </div>
  );
}

function AsReport({ reply, slug, done }: { reply: TalkReply; slug: string; done: () => void }) {
  const [words, setWords] = useState("");
  const report = useAddReport(slug);
  const say = (worked: boolean) =>
    report.mutate(
      { worked, words: words.trim() || undefined, reply: reply.text, model: reply.model },
      {
        onSuccess: () => {
          toast.success(t`Thank you. Whoever answers for it reads it`);
          done();
        },
        onError: (e) => toast.error(sentence(e.message)),
      },
    );
  return (
    <div className="flex flex-col gap-2 border-t border-line pt-4">
      <Field
        id="report-words"
        label={t`How did it go?`}
        hint={t`Whoever answers for the entry reads it, with the reply.`}
      >
        <textarea
          id="report-words"
          rows={2}
          className={fieldLook}
          value={words}
          onChange={(e) => setWords(e.target.value)}
        />
      </Field>
      <div className="flex gap-2">
        <Button disabled={report.isPending} onClick={() => say(true)}>
          <Trans>It worked</Trans>
        </Button>
        <Button disabled={report.isPending || !words.trim()} onClick={() => say(false)}>
          <Trans>It fell short</Trans>
        </Button>
      </div>
    </div>
  );
}
