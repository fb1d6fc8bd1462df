import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useRef, useState, type ReactNode } from "react";
import { toast } from "sonner";
import { Button, Trouble } from "../basics";

/** What many things are done to: how many there are, and how they are read when one begins. */
export interface Entries {
  total: number;
  read: () => Promise<string[]>; // slugs
}

/** The entries of a list that is on the page already. */
export const listed = (items: { slug: string }[]): Entries => ({
  total: items.length,
  read: () => Promise.resolve(items.map((i) => i.slug)),
});

/** The query that exports them, where an address can hold it. */
export const exportOf = (items: { slug: string }[]) =>
  items.length > 50 ? undefined : new URLSearchParams(items.map((i) => ["slug", i.slug])).toString();

/** A plan of what is done to all entries, once they were read, but those that one leaves out. */
export function usePlan<P>(entries: Entries, plan: (slugs: string[]) => Promise<P>) {
  const [slugs, setSlugs] = useState<string[]>([]);
  const [shown, setShown] = useState<P>();
  const [error, setError] = useState<unknown>(null);
  const asked = useRef(0); // an answer to what was asked before is not shown
  const show = async (read: () => Promise<string[]>) => {
    const mine = ++asked.current;
    setError(null);
    try {
      const chosen = await read();
      const answer = await plan(chosen);
      if (mine !== asked.current) return;
      setSlugs(chosen);
      setShown(answer);
    } catch (e) {
      if (mine !== asked.current) return;
      setShown(undefined);
      setError(e);
    }
  };
  return {
    slugs,
    shown,
    error,
    begin: () => void show(entries.read),
    leaveOut: (slug: string) => void show(() => Promise.resolve(slugs.filter((s) => s !== slug))),
    reset: () => {
      asked.current++;
      setShown(undefined);
    },
  };
}

/** Says that what was done was taken back, or why not, though its list may be gone by then. */
export const saidBack = (undone: Promise<unknown>, entries: number) =>
  void undone.then(
    () => toast.success(t`${entries} are as they were`),
    (e: Error) => toast.error(e.message),
  );

interface Change {
  slug: string;
  title: string;
  says: string; // what becomes of it
}

/** What a plan changes, entry by entry, and what it leaves as it is. */
function Changes({
  says,
  items,
  left = [],
  leaveOut,
}: {
  says: string;
  items: Change[];
  left?: { slug: string; title: string; why: string }[];
  leaveOut: (slug: string) => void;
}) {
  return (
    <div aria-live="polite">
      <p className="mb-2">{says}</p>
      <ul
        className="max-h-[40vh] divide-y divide-line overflow-auto"
        tabIndex={0}
        aria-label={t`What will change`}
      >
        {items.map((i) => (
          <li key={i.slug} className="flex items-baseline gap-3 py-1">
            <span className="min-w-0 flex-1 wrap-anywhere">
              <span className="font-semibold">{i.title || i.slug}</span>{" "}
              <span className="text-small text-faded">{i.says}</span>
            </span>
            {items.length > 1 && (
              <Button
                weight="text"
                className="text-small"
                aria-label={t`Leave out ${i.title || i.slug}`}
                onClick={() => leaveOut(i.slug)}
              >
                <Trans>Leave out</Trans>
              </Button>
            )}
          </li>
        ))}
        {left.map((i) => (
          <li key={i.slug} className="py-1 text-faded">
            <span className="font-semibold">{i.title || i.slug}</span>{" "}
            <span className="text-small">
              <Trans>stays as it is: {i.why}</Trans>
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** A form in which one says what is to be done, sees what it would change, and has it done. */
export function PlanForm({
  plan,
  ready = true,
  error,
  busy,
  shows,
  button,
  carryOut,
  children,
}: {
  plan: { error: unknown; begin: () => void; leaveOut: (slug: string) => void };
  ready?: boolean; // enough is said for a preview
  error: unknown; // of having it done
  busy: boolean;
  shows?: { says: string; items: Change[]; left?: { slug: string; title: string; why: string }[] };
  button: ReactNode;
  carryOut: () => void;
  children: ReactNode;
}) {
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        plan.begin();
      }}
    >
      <Trouble error={plan.error ?? error} title={t`Nothing was changed`} />
      {children}
      <Button type="submit" className="self-start" disabled={!ready}>
        <Trans>Preview</Trans>
      </Button>
      {shows && <Changes {...shows} leaveOut={plan.leaveOut} />}
      {shows && shows.items.length > 0 && (
        <Button weight="main" className="self-start" disabled={busy} onClick={carryOut}>
          {button}
        </Button>
      )}
    </form>
  );
}
