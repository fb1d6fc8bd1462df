import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import type { NewEntry, Values } from "../../data/api";
import { Refused } from "../../data/api";
import { useStarters } from "../../data/import";
import { fillEntry, useLabels, useShelfEntry } from "../../data/hooks";
import { termTitle } from "../../data/words";
import { BlankFields } from "../../parts/blankfields";
import { Button, Field, fieldLook, sentence, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** What a new entry can begin with: a department's starter, or a draft that a model writes. */
export function Starters({
  section,
  start,
  write,
}: {
  section?: string;
  start: (content: NewEntry) => void;
  write: (body: string) => void;
}) {
  const all = useStarters().data;
  const labels = useLabels().data;
  const [helper, setHelper] = useState("");
  const begun = useRef(false);
  useEffect(() => {
    const own = section && all?.starters.find((s) => s.section === section);
    if (!own || begun.current) return;
    begun.current = true;
    start(own.content as NewEntry);
  }, [all, section, start]);
  if (!all || all.starters.length + all.helpers.length === 0) return null;
  return (
    <fieldset>
      <legend className="mb-2 font-semibold">
        <Trans>Begin with</Trans>
      </legend>
      <div className="flex flex-wrap gap-2">
        {all.starters.map((s) => (
          <Button key={`${s.department} ${s.section}`} onClick={() => start(s.content as NewEntry)}>
            <Trans>Starter: {s.title ?? termTitle(labels, "department", s.department ?? "")}</Trans>
          </Button>
        ))}
        {all.helpers.map((h) => (
          <Button key={h.slug} onClick={() => setHelper(h.slug)}>
            {h.title}
          </Button>
        ))}
      </div>
      <Dialog
        open={helper !== ""}
        onOpen={(o) => !o && setHelper("")}
        title={all.helpers.find((h) => h.slug === helper)?.title ?? ""}
      >
        {helper && (
          <Helper
            slug={helper}
            done={(reply) => {
              write(reply);
              setHelper("");
            }}
          />
        )}
      </Dialog>
    </fieldset>
  );
}

/** The helper is filled in and taken to a model; what that replies is pasted back. */
function Helper({ slug, done }: { slug: string; done: (reply: string) => void }) {
  const entry = useShelfEntry(slug);
  const [values, setValues] = useState<Values>({});
  const [problems, setProblems] = useState<Refused["problems"]>([]);
  const [reply, setReply] = useState("");
  if (entry.error) return <Trouble error={entry.error} />;
  if (!entry.data) return <Waiting />;
  const copy = async () => {
    try {
      const filled = await fillEntry(slug, { values });
      setProblems([]);
      await navigator.clipboard.writeText(filled.text);
      toast.success(t`Copied: give it to a model, and paste its reply here`);
    } catch (e) {
      if (e instanceof Refused) setProblems(e.problems);
      toast.error(sentence((e as Error).message));
    }
  };
  return (
    <div className="flex flex-col gap-4">
      <BlankFields blanks={entry.data.asks ?? []} values={values} problems={problems} onChange={setValues} />
      <Button weight="main" onClick={() => void copy()}>
        <Trans>Copy the filled prompt</Trans>
      </Button>
      <Field id="reply" label={t`What the model replied`}>
        <textarea
          id="reply"
          rows={6}
          className={`${fieldLook} font-mono text-small`}
          value={reply}
          onChange={(e) => setReply(e.target.value)}
        />
      </Field>
      <Button disabled={!reply.trim()} onClick={() => done(unfenced(reply))}>
        <Trans>Use as the text</Trans>
      </Button>
    </div>
  );
}

/** A reply is often put between fences as a whole: those are not part of it. */
function unfenced(reply: string): string {
  const inside = /^\s*(`{3,}|~{3,})[^\n]*\n([\s\S]*?)\n?\1\s*$/.exec(reply);
  return inside?.[2] ?? reply;
}
