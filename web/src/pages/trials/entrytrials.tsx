import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useEntry, useSession, useShelfEntry } from "../../data/hooks";
import { timeWords } from "../../data/times";
import { useRunForm } from "../../data/runs";
import { useStartTrial, useTestBed, useTrials, type TrialItem } from "../../data/trials";
import { titleOf } from "../../data/words";
import { Button, Empty, Trouble, Waiting } from "../../parts/basics";
import { Changed } from "../../parts/changed";
import { Begin } from "./begin";
import { TestBedEditor, TestBedShown } from "./testbed";
import { UsersTried } from "./usertrials";

/** What an entry is tried with, and the trials there were. */
export function EntryTrials() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const open = useEntry(slug);
  const shelf = useShelfEntry(slug, true);
  const bed = useTestBed(slug);
  const trials = useTrials(slug);
  const form = useRunForm(slug, (open.data ?? shelf.data)?.kind === "relay");
  const session = useSession().data;
  const entry = open.data ?? shelf.data;
  if (bed.error) return <Trouble error={bed.error} title={t`The trials of this entry cannot be shown`} />;
  if (!entry || !bed.data || !trials.data) return <Waiting lines={10} />;
  const asked = entry.kind === "prompt" || entry.kind === "relay";
  return (
    <>
      <header className="mb-6">
        <h1 className="text-title max-sm:text-head">
          <Trans>Trials of {titleOf(entry)}</Trans>
        </h1>
        <p className="text-faded">
          <Link to="/entries/$slug" params={{ slug }} className="font-semibold text-gold hover:underline">
            <Trans>The entry</Trans>
          </Link>{" "}
          ·{" "}
          {asked
            ? t`one lucky reply proves nothing: a trial asks for many, and counts.`
            : t`what uses it is tried as it is, and with its open version.`}
        </p>
      </header>
      {!asked && session && session.role !== "reader" && <UsersTried slug={slug} />}
      {trials.data.again && <Again slug={slug} offer={trials.data.again} />}
      {asked && <TrialList trials={trials.data.items} />}
      {!asked ? null : bed.data.data.may_change ? (
        <TestBedEditor
          key={bed.data.data.number}
          slug={slug}
          etag={bed.data.etag}
          bed={bed.data.data}
          blanks={form.data?.blanks ?? shelf.data?.asks ?? entry.asks ?? entry.blanks ?? []}
        />
      ) : (
        <TestBedShown bed={bed.data.data} />
      )}
      {asked && session && session.role !== "reader" && (
        <Begin
          slug={slug}
          bed={bed.data.data}
          relay={entry.kind === "relay"}
          open={open.data?.open !== undefined}
          shelf={shelf.data !== undefined}
        />
      )}
    </>
  );
}

/** What has changed since the newest trial, and the button that runs it again. */
function Again({ slug, offer }: { slug: string; offer: { trial: string; because: string[] } }) {
  const start = useStartTrial(slug);
  const navigate = useNavigate();
  const session = useSession().data;
  return (
    <section
      aria-label={t`Run it again`}
      className="mb-6 flex flex-wrap items-center gap-x-4 gap-y-2 rounded-card border border-line bg-wash px-4 py-3"
    >
      <p className="min-w-0 flex-1 max-sm:basis-full">
        <Trans>Since the newest trial something has changed: {offer.because.join("; ")}.</Trans>
      </p>
      {session && session.role !== "reader" && (
        <Button
          weight="main"
          disabled={start.isPending}
          onClick={() =>
            start.mutate(
              { again: offer.trial },
              { onSuccess: (trial) => void navigate({ to: "/trials/$id", params: { id: trial.id } }) },
            )
          }
        >
          <Trans>Run it again</Trans>
        </Button>
      )}
      <Trouble error={start.error} title={t`It cannot be run again`} />
    </section>
  );
}

export function TrialList({ trials }: { trials: TrialItem[] }) {
  if (trials.length === 0)
    return (
      <div className="mb-8">
        <Empty title={t`No trial yet`}>
          <Trans>
            Give the entry a test bed below: a few sets of values, and what replies must hold to. Then begin
            one.
          </Trans>
        </Empty>
      </div>
    );
  return (
    <ul className="mb-8 divide-y divide-line border-y border-line" aria-label={t`Trials`}>
      {trials.map((trial) => (
        <li key={trial.id}>
          <Link to="/trials/$id" params={{ id: trial.id }} className="block px-1 py-2.5 hover:bg-wash">
            <span className="font-semibold">{trial.title}</span>
            <span className="ms-3 text-small text-faded">
              {timeWords(trial.at)} · {trial.by} · {stateOf(trial)}
            </span>
            {trial.change && (
              <span className="ms-3">
                <Changed change={trial.change} />
              </span>
            )}
          </Link>
        </li>
      ))}
    </ul>
  );
}

export function stateOf(trial: TrialItem): string {
  const failed = trial.failed > 0 ? t`, ${trial.failed} failed` : "";
  if (trial.state === "running")
    return t`${trial.replies - trial.awaited} of ${trial.replies} replies so far${failed}`;
  if (trial.state === "stopped") return t`stopped at ${trial.done} of ${trial.replies} replies${failed}`;
  return t`${trial.done} replies${failed}`;
}
