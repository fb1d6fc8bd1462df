import { Link, useParams } from "@tanstack/react-router";
import { useEntry, useSession, useShelfEntry } from "../../data/hooks";
import { timeWords } from "../../data/times";
import { useTestBed, useTrials, type TrialItem } from "../../data/trials";
import { titleOf } from "../../data/words";
import { Empty, Trouble, Waiting } from "../../parts/basics";
import { Begin } from "./begin";
import { TestBedEditor, TestBedShown } from "./testbed";

/** What an entry is tried with, and the trials there were. */
export function EntryTrials() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const open = useEntry(slug);
  const shelf = useShelfEntry(slug, true);
  const bed = useTestBed(slug);
  const trials = useTrials(slug);
  const session = useSession().data;
  const entry = open.data ?? shelf.data;
  if (bed.error) return <Trouble error={bed.error} title="The trials of this entry cannot be shown" />;
  if (!entry || !bed.data || !trials.data) return <Waiting lines={10} />;
  return (
    <>
      <header className="mb-6">
        <h1 className="text-title max-sm:text-head">Trials of {titleOf(entry)}</h1>
        <p className="text-faded">
          <Link to="/entries/$slug" params={{ slug }} className="font-semibold text-gold hover:underline">
            The entry
          </Link>{" "}
          · one lucky reply proves nothing: a trial asks for many, and counts.
        </p>
      </header>
      <TrialList trials={trials.data.items} />
      {bed.data.data.may_change ? (
        <TestBedEditor
          key={bed.data.data.number}
          slug={slug}
          etag={bed.data.etag}
          bed={bed.data.data}
          blanks={shelf.data?.asks ?? entry.asks ?? entry.blanks ?? []}
        />
      ) : (
        <TestBedShown bed={bed.data.data} />
      )}
      {session && session.role !== "reader" && (
        <Begin
          slug={slug}
          bed={bed.data.data}
          open={open.data?.open !== undefined}
          shelf={shelf.data !== undefined}
        />
      )}
    </>
  );
}

function TrialList({ trials }: { trials: TrialItem[] }) {
  if (trials.length === 0)
    return (
      <div className="mb-8">
        <Empty title="No trial yet">
          Give the entry a test bed below: a few sets of values, and what replies must hold to. Then begin
          one.
        </Empty>
      </div>
    );
  return (
    <ul className="mb-8 divide-y divide-line border-y border-line" aria-label="Trials">
      {trials.map((t) => (
        <li key={t.id}>
          <Link to="/trials/$id" params={{ id: t.id }} className="block px-1 py-2.5 hover:bg-wash">
            <span className="font-semibold">{t.title}</span>
            <span className="ml-3 text-small text-faded">
              {timeWords(t.at)} · {t.by} · {stateOf(t)}
            </span>
          </Link>
        </li>
      ))}
    </ul>
  );
}

export function stateOf(t: TrialItem): string {
  const failed = t.failed > 0 ? `, ${t.failed} failed` : "";
  if (t.state === "running") return `${t.replies - t.awaited} of ${t.replies} replies so far${failed}`;
  if (t.state === "stopped") return `stopped at ${t.done} of ${t.replies} replies${failed}`;
  return `${t.done} replies${failed}`;
}
