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
        Use this reply…
      </Button>
      <Dialog open={open} onOpen={setOpen} title="Use this reply">
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
      <Trouble error={error} title="Nothing was made" />
      {session?.role !== "reader" && (
        <div className="flex flex-col items-start gap-2">
          {slug && (
            <Button
              onClick={() => {
                setPasted(reply.text, "example");
                void navigate({ to: "/entries/$slug/edit", params: { slug } });
              }}
            >
              A worked example of {title}
            </Button>
          )}
          <Button
            onClick={() =>
              void begin(() =>
                Promise.resolve({
                  kind: "snippet",
                  title: `From ${title}`,
                  body: reply.text,
                  blanks: [],
                  labels,
                }),
              )
            }
          >
            A snippet
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
            What was asked, as a new entry
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
      <p className="font-semibold">A sample of a style</p>
      <div className="flex flex-wrap gap-2">
        <span className="w-64">
          <EntryField label="The style" kind="style" value={style} set={setStyle} />
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
                  toast.success(`It is a sample of ${style}`);
                  done();
                },
              },
            )
          }
        >
          Add it
        </Button>
      </div>
      <Trouble error={add.error} title="It was not added" />
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
          toast.success("Thank you. Whoever answers for it reads it");
          done();
        },
        onError: (e) => toast.error(sentence(e.message)),
      },
    );
  return (
    <div className="flex flex-col gap-2 border-t border-line pt-4">
      <Field
        id="report-words"
        label="How did it go?"
        hint="Whoever answers for the entry reads it, with the reply."
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
          It worked
        </Button>
        <Button disabled={report.isPending || !words.trim()} onClick={() => say(false)}>
          It fell short
        </Button>
      </div>
    </div>
  );
}
