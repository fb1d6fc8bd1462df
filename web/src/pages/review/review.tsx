import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import type { Entry, Values } from "../../data/api";
import { useDiff, useEntry, usePreview, useStep, useVersions, type Step } from "../../data/hooks";
import { agoWords } from "../../data/times";
import { kindWords, stateWords, titleOf } from "../../data/words";
import { Button, Empty, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { Choice } from "../../parts/choice";
import type { Helped } from "../../data/history";
import { DateStack } from "../../parts/datestack";
import { Difference, FieldChanges } from "../../parts/difference";
import { Gallery } from "../../parts/gallery";
import { FilledText, WrittenText } from "../../parts/text";
import { markedIn, type Marked } from "./comments";
import { Facts } from "./facts";
import { Rewritten } from "./rewritten";

/** All that a reviewer needs of the open version, and what they can do with it. */
export function Review() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const entry = useEntry(slug);
  const versions = useVersions(slug);
  if (entry.error) return <Trouble error={entry.error} title={t`This version cannot be shown`} />;
  if (!entry.data || !versions.data) return <Waiting lines={10} />;
  const e = entry.data;
  if (!e.open) {
    return (
      <Empty page title={t`${titleOf(e)} has no open version`}>
        <Trans>
          There is nothing to review.{" "}
          <Link to="/entries/$slug" params={{ slug }} className="font-semibold text-gold hover:underline">
            See what is on the shelf
          </Link>
        </Trans>
      </Empty>
    );
  }
  return <Open key={e.version} now={e} versions={versions.data.items} helped={versions.data.helped} />;
}

function Open({ now: e, versions, helped }: { now: Entry; versions: Entry[]; helped: Helped[] }) {
  const [marked, setMarked] = useState<Marked>();
  const [read, setRead] = useState(e);
  const before = versions.find((v) => v.state === "published");
  return (
    <>
      <Head entry={e} read={read} />
      {read.seen !== e.seen && <Rewritten read={read} now={e} go={() => setRead(e)} />}
      <div className="grid items-start gap-7 wide:grid-cols-[170px_1fr_300px]">
        <div className="max-wide:order-last">
          <DateStack versions={versions} helped={helped} current={e.version} />
        </div>
        <Texts now={e} before={before} mark={setMarked} />
        <Facts entry={e} marked={marked} clear={() => setMarked(undefined)} />
      </div>
    </>
  );
}

function Head({ entry, read }: { entry: Entry; read: Entry }) {
  const asked = entry.submitted_at
    ? t` · asked by ${entry.submitted_by ?? ""} ${agoWords(entry.submitted_at)}`
    : "";
  return (
    <header className="mb-6 flex flex-wrap items-center gap-4">
      <span className={`h-14 w-2 rounded-[2px] ${kindWords[entry.kind].colour}`} aria-hidden />
      <div className="min-w-0 flex-1">
        <p className="text-small text-faded">
          {stateWords[entry.state]}
          {asked}
        </p>
        <h1 className="text-title max-sm:text-head">{titleOf(entry)}</h1>
      </div>
      <Steps entry={entry} read={read} />
    </header>
  );
}

/**
 * The buttons follow the life cycle's own list of what is possible. What is decided is decided about the
 * text that was read; one that has been put in its place since is read first.
 */
function Steps({ entry, read }: { entry: Entry; read: Entry }) {
  const navigate = useNavigate();
  const step = useStep(entry.slug);
  const [asking, setAsking] = useState<"return" | "approve" | null>(null);
  const deciding: Entry["actions"][number][] = ["approve", "return", "publish"];
  const can = (a: Entry["actions"][number]) =>
    entry.actions.includes(a) && (read.seen === entry.seen || !deciding.includes(a));
  const take = (s: Step, text: string, done: string) =>
    step.mutate(
      { step: s, text, seen: read.seen },
      {
        onSuccess: (after) => {
          setAsking(null);
          toast.success(after.state === "in-review" ? t`Approved; it waits for someone else too` : done);
          if (s === "publish") void navigate({ to: "/entries/$slug", params: { slug: entry.slug } });
          else if (s === "withdraw")
            void navigate({ to: "/entries/$slug/edit", params: { slug: entry.slug } });
          else void navigate({ to: "/desk" });
        },
        onError: (e) => !asking && toast.error(e.message),
      },
    );
  return (
    <div className="flex flex-wrap gap-3">
      {can("withdraw") && (
        <Button onClick={() => take("withdraw", "", t`Back on your desk as a draft`)}>
          <Trans>Withdraw</Trans>
        </Button>
      )}
      {can("return") && (
        <Button onClick={() => setAsking("return")}>
          <Trans>Return with reasons</Trans>
        </Button>
      )}
      {can("approve") && (
        <Button weight="main" onClick={() => setAsking("approve")}>
          <Trans>Approve version {entry.version}</Trans>
        </Button>
      )}
      {can("publish") && (
        <Button weight="main" disabled={step.isPending} onClick={() => take("publish", "", t`On the shelf`)}>
          <Trans>Publish version {entry.version}</Trans>
        </Button>
      )}
      {can("save") && (
        <Button
          weight="main"
          onClick={() => void navigate({ to: "/entries/$slug/edit", params: { slug: entry.slug } })}
        >
          <Trans>Edit the draft</Trans>
        </Button>
      )}
      <Dialog
        open={asking !== null}
        onOpen={(o) => !o && setAsking(null)}
        title={asking === "return" ? t`Return with reasons` : t`Approve version ${entry.version}`}
      >
        <Word
          asking={asking ?? "approve"}
          busy={step.isPending}
          error={step.error}
          send={(text) =>
            take(asking ?? "approve", text, asking === "return" ? t`Returned to its writer` : t`Approved`)
          }
        />
      </Dialog>
    </div>
  );
}

function Word({
  asking,
  busy,
  error,
  send,
}: {
  asking: "return" | "approve";
  busy: boolean;
  error: unknown;
  send: (text: string) => void;
}) {
  const [text, setText] = useState("");
  const back = asking === "return";
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        send(text);
      }}
    >
      <Trouble error={error} />
      <Field id="word" label={back ? t`What should its writer change?` : t`A word to its writer (if any)`}>
        <textarea
          id="word"
          rows={4}
          required={back}
          className={fieldLook}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" disabled={busy}>
        {back ? t`Return` : t`Approve`}
      </Button>
    </form>
  );
}

function samples(e: Entry): Values {
  return Object.fromEntries(
    e.blanks.filter((b) => b.sample !== undefined).map((b) => [b.name, b.sample ?? ""]),
  );
}

/** The text as written, as a colleague would get it, and what stands on the shelf now. */
function Texts({
  now,
  before,
  mark,
}: {
  now: Entry;
  before?: Entry;
  mark: (passage: Marked | undefined) => void;
}) {
  const [view, setView] = useState(before ? "changed" : "written");
  const preview = usePreview(now, samples(now));
  const diff = useDiff(now.slug, before?.version, now.version, before !== undefined);
  const views = [
    ...(before ? [{ value: "changed", name: t`What changed` }] : []),
    { value: "written", name: t`Version ${now.version}` },
    { value: "filled", name: t`With samples` },
    ...(before ? [{ value: "before", name: t`On the shelf: ${before.version}` }] : []),
  ];
  return (
    <section aria-label={t`Text`} className="min-w-0 rounded-card border border-line bg-leaf">
      <div className="border-b border-line px-3.5 py-2.5">
        <Choice label={t`Which text`} value={view} onChange={setView} options={views} />
      </div>
      <div className="px-6 py-5">
        {view === "changed" && diff.error && <Trouble error={diff.error} />}
        {view === "changed" && diff.data && (
          <>
            <FieldChanges fields={diff.data.fields} />
            <Difference lines={diff.data.lines} />
          </>
        )}
        {view === "written" && (
          <div
            onMouseUp={(e) => mark(markedIn(e.currentTarget))}
            onKeyUp={(e) => mark(markedIn(e.currentTarget))}
          >
            <Gallery pictures={now.pictures} />
            <WrittenText body={now.body} />
          </div>
        )}
        {view === "before" && before && <WrittenText body={before.body} />}
        {view === "filled" && preview.data && (
          <FilledText
            text={preview.data.text}
            spans={preview.data.spans}
            missing={new Set(preview.data.problems.map((p) => p.field.split("/")[2] ?? ""))}
          />
        )}
      </div>
    </section>
  );
}
