import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useParams } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { toast } from "sonner";
import type { Entry, NewEntry } from "../../data/api";
import { Refused } from "../../data/api";
import { useCheck, useDraft, useEntry } from "../../data/hooks";
import { takePasted } from "../../data/pasted";
import { useSettled } from "../../data/settled";
import { kindWords } from "../../data/words";
import { Empty, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { AnswersOf } from "./answers";
import { useAutosave, type Saving } from "./autosave";
import { Body } from "./body";
import { Conflict } from "./conflict";
import { Side } from "./side";
import { Steps } from "./steps";
import { Submit } from "./submit";

// prettier-ignore
const written = [
  "kind", "title", "summary", "code", "language", "plain",
  "persona", "style", "sheets", "sheet_of", "set", "answers", "blanks", "steps", "source", "pictures", "body",
] as const;

/** What a save sends of an entry that was read: what its writer gives. Labels are the entry's, and saved apart. */
function toSave(e: Entry): NewEntry {
  return Object.fromEntries(written.map((name) => [name, e[name]])) as unknown as NewEntry;
}

/** The editor of an entry's draft. Without an open version it begins the next one. */
export function Editor() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const draft = useDraft(slug);
  const none = draft.error instanceof Refused && draft.error.status === 404;
  const entry = useEntry(slug, none);
  if (draft.error && !none) return <Trouble error={draft.error} title={t`The draft cannot be opened`} />;
  if (entry.error) return <Trouble error={entry.error} title={t`This entry cannot be opened`} />;
  const read = draft.data ?? (none && entry.data && { data: entry.data, etag: "" });
  if (!read) return <Waiting lines={12} />;
  const may = read.data.actions.includes("save") || read.data.actions.includes("begin");
  if (!may) {
    return (
      <Empty page title={t`${read.data.title} cannot be edited now`}>
        <Trans>
          Its open version is being read or is not yours.{" "}
          <Link
            to="/entries/$slug/review"
            params={{ slug }}
            className="font-semibold text-gold hover:underline"
          >
            See where it stands
          </Link>
        </Trans>
      </Empty>
    );
  }
  return <Desktop key={slug} entry={read.data} etag={read.etag} />;
}

function Desktop({ entry, etag }: { entry: Entry; etag: string }) {
  const auto = useAutosave(entry.slug, toSave(entry), etag);
  const { draft, change, saving } = auto;
  const labels = useEntry(entry.slug).data?.labels ?? entry.labels;
  const check = useCheck(useSettled({ ...draft, labels, slug: entry.slug, owner: entry.owner }));
  // Without an open version the first save begins the next one.
  useExample(draft, change);
  const [number] = useState(entry.open ? entry.version : entry.version + 1);
  return (
    <>
      <h1 className="sr-only">
        <Trans>Edit {draft.title || entry.slug}</Trans>
      </h1>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <span className={`h-14 w-2 rounded-[2px] ${kindWords[entry.kind].colour}`} aria-hidden />
        <div className="min-w-0 flex-1">
          <p className="text-small text-faded" role="status" data-testid="saving">
            <Trans>
              Draft of version {number} · {savingWords(saving)}
            </Trans>
          </p>
          <input
            aria-label={t`Title`}
            className="w-full rounded-field border border-transparent bg-transparent font-serif text-title font-[650] hover:border-line max-sm:text-head"
            placeholder={t`A title`}
            value={draft.title ?? ""}
            onChange={(e) => change({ ...draft, title: e.target.value })}
          />
        </div>
        <Submit slug={entry.slug} flush={auto.flush} />
      </header>
      {entry.returned && entry.state === "draft" && (
        <p className="mb-4 rounded-card border border-line bg-wash px-4 py-2">
          <b>
            <Trans>Returned:</Trans>
          </b>{" "}
          {entry.returned}
        </p>
      )}
      {saving.state === "refused" && (
        <div className="mb-4">
          <Trouble error={saving.error} title={t`Not saved; what you wrote is kept here`} />
        </div>
      )}
      <div className="grid items-start gap-7 wide:grid-cols-[1fr_392px]">
        <div className="flex min-w-0 flex-col gap-4">
          <Field id="summary" label={t`Summary`}>
            <input
              id="summary"
              className={fieldLook}
              placeholder={t`What is it for, in a sentence?`}
              value={draft.summary ?? ""}
              onChange={(e) => change({ ...draft, summary: e.target.value })}
            />
          </Field>
          {draft.kind === "sheet" && <AnswersOf slug={entry.slug} draft={draft} change={change} />}
          {draft.kind === "relay" && <Steps draft={draft} change={change} />}
          <Body draft={draft} change={change} findings={check.data?.findings ?? []} slug={entry.slug} />
        </div>
        <Side
          slug={entry.slug}
          labels={labels}
          published={entry.published !== undefined}
          flush={auto.flush}
          begun={auto.begun}
          draft={draft}
          change={change}
          checked={check.data}
        />
      </div>
      {saving.state === "conflict" && (
        <Conflict
          mine={draft}
          theirs={saving.theirs}
          keepMine={() => auto.settle(draft, saving.etag)}
          takeTheirs={() => auto.settle(toSave(saving.theirs), saving.etag)}
        />
      )}
    </>
  );
}

/** Puts a reply among the examples that somebody wants kept there. */
function useExample(draft: NewEntry, change: (draft: NewEntry) => void) {
  const begun = useRef(false);
  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    const example = takePasted("example");
    if (!example) return;
    change({ ...draft, body: withExample(draft.body ?? "", example) });
    toast.success(t`The reply stands among the examples now`);
  }, [draft, change]);
}

/** A text with one more example, quoted, in its part “Examples”. */
function withExample(body: string, example: string): string {
  const quoted = example
    .trim()
    .split("\n")
    .map((l) => `> ${l}`.trimEnd())
    .join("\n");
  const parts = body.split(/(?=^## )/m);
  const at = parts.findIndex((p) => /^## Examples\s*$/m.test(p));
  if (at < 0) return `${body.trimEnd()}\n\n## Examples\n${quoted}\n`;
  parts[at] = `${parts[at]!.trimEnd()}\n\n${quoted}\n${at < parts.length - 1 ? "\n" : ""}`;
  return parts.join("");
}

function savingWords(s: Saving): string {
  switch (s.state) {
    case "typing":
    case "saving":
      return t`saving …`;
    case "offline":
      return t`no connection: kept in this browser, and tried again`;
    case "refused":
      return t`not saved`;
    case "conflict":
      return t`someone else saved meanwhile`;
    case "saved":
      return s.at ? t`saved a moment ago` : t`saved`;
  }
}
