import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import type { Entry } from "../../data/api";
import { useEntryCheck, useLabels } from "../../data/hooks";
import { dateWords } from "../../data/times";
import { useTrials } from "../../data/trials";
import { asText, question, termTitle } from "../../data/words";
import { Findings } from "../../parts/findings";
import { stateOf } from "../trials/entrytrials";
import { UsersTried } from "../trials/usertrials";
import { Comments, type Marked } from "./comments";
import { Effects } from "./effects";

/** What there is to know about a version besides its text. */
export function Facts({ entry, marked, clear }: { entry: Entry; marked?: Marked; clear: () => void }) {
  const facets = useLabels().data;
  const check = useEntryCheck(entry.slug);
  return (
    <div className="flex flex-col gap-4">
      <Card title={t`Why`}>
        <p>{entry.note || t`No change note yet: it comes with the submission.`}</p>
        {entry.returned && entry.state === "draft" && (
          <p className="mt-2 text-small">
            <Trans>Returned: {entry.returned}</Trans>
          </p>
        )}
      </Card>
      <Card title={t`Comments`}>
        <Comments entry={entry} marked={marked} clear={clear} />
      </Card>
      <Card title={t`What it changes`}>
        <Effects slug={entry.slug} />
      </Card>
      {entry.kind !== "prompt" && entry.kind !== "relay" && (
        <Card title={t`Trials of what uses it`}>
          <UsersTried slug={entry.slug} />
        </Card>
      )}
      {(entry.kind === "prompt" || entry.kind === "relay") && (
        <Card title={t`Trials`}>
          <TrialsOf entry={entry} />
        </Card>
      )}
      <Card title={t`Checks`}>{check.data && <Findings checked={check.data} />}</Card>
      <Card title={t`What it says of itself`}>
        <p>{entry.summary}</p>
        <p className="mt-2 text-small text-faded">
          {Object.entries(entry.labels)
            .flatMap(([facet, terms]) => terms.map((t) => termTitle(facets, facet, t)))
            .join(" · ")}
        </p>
      </Card>
      <Card title={t`Blanks`}>
        {entry.blanks.length === 0 && (
          <p className="text-faded">
            <Trans>None.</Trans>
          </p>
        )}
        <dl>
          {entry.blanks.map((b) => (
            <div key={b.name} className="border-b border-line py-1.5 last:border-0">
              <dt className="font-mono text-small text-gold">{b.name}</dt>
              <dd className="text-small">
                {question(b)}{" "}
                <span className="text-faded">
                  {b.type || t`line`}
                  {b.sample !== undefined && t`, as “${asText(b.sample)}”`}
                </span>
              </dd>
            </div>
          ))}
        </dl>
      </Card>
      <Card title={t`Approvals`}>
        {entry.state === "in-review" && (
          <p className="text-faded">
            {plural(entry.wanted ?? 0, { one: "One more is needed.", other: "# more are needed." })}
          </p>
        )}
        {entry.approvals?.map((a) => (
          <p key={a.by}>
            {a.by}, {dateWords(a.at)}
            {a.comment && `: ${a.comment}`}
            {a.made_by && <span className="block text-small text-faded">{a.made_by}.</span>}
          </p>
        ))}
      </Card>
    </div>
  );
}

/** The trials of exactly this version. */
function TrialsOf({ entry }: { entry: Entry }) {
  const all = useTrials(entry.slug).data?.items ?? [];
  const of = all.filter((t) => t.versions.includes(entry.version));
  return (
    <>
      {of.length === 0 && (
        <p className="text-faded">
          <Trans>None of this version yet.</Trans>
        </p>
      )}
      <ul>
        {of.map((t) => (
          <li key={t.id} className="border-b border-line py-1.5 last:border-0">
            <Link to="/trials/$id" params={{ id: t.id }} className="font-semibold text-gold hover:underline">
              {t.title}
            </Link>
            <span className="block text-small text-faded">{stateOf(t)}</span>
          </li>
        ))}
      </ul>
      <Link
        to="/entries/$slug/trials"
        params={{ slug: entry.slug }}
        className="text-small font-semibold text-gold hover:underline"
      >
        {of.length === 0 ? t`Try it against the one on the shelf` : t`All trials`}
      </Link>
    </>
  );
}

function Card({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="rounded-card border border-line bg-leaf px-4 py-3" aria-label={title}>
      <h2 className="mb-1.5 text-[17px]">{title}</h2>
      {children}
    </section>
  );
}
