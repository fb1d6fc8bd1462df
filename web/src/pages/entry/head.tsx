import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { Pencil } from "lucide-react";
import type { Entry } from "../../data/api";
import { useEntry, useLabels, useSession } from "../../data/hooks";
import { dateWords } from "../../data/times";
import { kindWords, stateWords, termTitle, titleOf } from "../../data/words";
import { Chip } from "../../parts/basics";
import { Retire } from "./retire";

export function Head({ entry }: { entry: Entry }) {
  const labels = useLabels().data;
  const session = useSession().data;
  const k = kindWords[entry.kind];
  const chips = ["department", "application", "model"].flatMap((f) =>
    (entry.labels[f] ?? []).map((t) => termTitle(labels, f, t)),
  );
  const published = entry.state === "published" || entry.state === "superseded";
  return (
    <header className="mb-5 flex items-start gap-4 max-sm:flex-wrap">
      <span className={`min-h-[95px] w-2 shrink-0 self-stretch rounded-[2px] ${k.colour}`} aria-hidden />
      <div className="min-w-0 flex-1 max-sm:basis-[70%]">
        <h1 className="text-title max-sm:text-head">{titleOf(entry)}</h1>
        <p className="mt-1 text-faded">{entry.summary}</p>
        <div className="mt-2 flex flex-wrap items-center gap-2 text-small text-faded">
          <Chip>{k.name}</Chip>
          {chips.map((c) => (
            <Chip key={c}>{c}</Chip>
          ))}
          <span>
            {published ? t`✓ Published ${dateWords(entry.published_at)}` : stateWords[entry.state]}{" "}
            <Trans>
              · version {entry.version} · looked after by {entry.owner_name}
            </Trans>
            {entry.deputy_name && t`, deputy ${entry.deputy_name}`}
          </span>
        </div>
      </div>
      <div className="flex flex-wrap gap-4 max-sm:w-full print:hidden">
        {session?.role !== "reader" && <WorkOnIt slug={entry.slug} />}
        {entry.actions.includes("retire") && <Retire slug={entry.slug} kind={entry.kind} />}
      </div>
    </header>
  );
}

/** The way to the open version, for those who may see it or begin one. */
function WorkOnIt({ slug }: { slug: string }) {
  const entry = useEntry(slug).data;
  if (!entry) return null;
  const can = (a: (typeof entry.actions)[number]) => entry.actions.includes(a);
  const look =
    "inline-flex items-center gap-2 rounded-field border border-line bg-leaf px-4 py-1.5 font-semibold whitespace-nowrap hover:bg-wash";
  if (can("save") || can("begin")) {
    return (
      <Link to="/entries/$slug/edit" params={{ slug }} className={look}>
        <Pencil size={15} aria-hidden />
        {can("save") ? t`Edit version ${entry.version}` : t`Make the next version`}
      </Link>
    );
  }
  if (!entry.open) return null;
  return (
    <Link to="/entries/$slug/review" params={{ slug }} className={look}>
      {can("approve") ? t`Review` : t`See`} <Trans>version {entry.open}</Trans>
    </Link>
  );
}
