import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type ReactNode } from "react";
import { readAllSlugs, type Narrowing } from "../../data/hooks";
import { Button } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** Something that can be done to all that a search finds, in a dialog of its own. */
export function Many({
  what,
  total,
  children,
}: {
  what: string;
  total: number;
  children: (done: () => void) => ReactNode;
}) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button weight="text" className="text-small" onClick={() => setOpen(true)}>
        <Trans>
          {what} these {total}…
        </Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`${what} ${total} entries`} wide>
        {children(() => setOpen(false))}
      </Dialog>
    </>
  );
}

/** All that a search finds, once it was read for a plan. */
export function useAllFound(narrowing: Narrowing) {
  const [slugs, setSlugs] = useState<string[]>([]);
  const [error, setError] = useState<unknown>(null);
  const plan = async (of: (slugs: string[]) => void) => {
    try {
      setError(null);
      const all = await readAllSlugs(narrowing);
      setSlugs(all);
      of(all);
    } catch (e) {
      setError(e);
    }
  };
  return { slugs, error, plan };
}

/** What a plan changes, entry by entry. */
export function Changes({
  says,
  items,
}: {
  says: string;
  items: { slug: string; title: string; from: string; to: string }[];
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
          <li key={i.slug} className="py-1">
            <span className="font-semibold">{i.title || i.slug}</span>{" "}
            <span className="text-small text-faded">
              {i.from} → {i.to}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
