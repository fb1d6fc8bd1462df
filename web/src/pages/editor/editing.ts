import { t } from "@lingui/core/macro";
import { toast } from "sonner";
import type { NewEntry } from "../../data/api";

/** The next draft; or how to make it from the one that is there by then. */
export type Change = NewEntry | ((now: NewEntry) => NewEntry);

/** A draft in the hands of whoever writes it. */
export interface Editing {
  draft: NewEntry;
  change: (next: Change) => void;
}

/**
 * Makes a change of the text that was seen as asked, and offers to undo it. Whatever was
 * typed meanwhile stays: neither the change nor its undoing goes over it.
 */
export function replaceText(
  change: Editing["change"],
  asked: string,
  make: (now: NewEntry) => NewEntry,
  done: string,
) {
  let before: NewEntry | undefined;
  let after: NewEntry | undefined;
  change((now) => {
    if (now.body !== asked) return now;
    before = now;
    return (after = make(now));
  });
  const was = before;
  const is = after;
  if (!was || !is) {
    toast.error(t`The text has changed meanwhile: nothing was done. Try again.`);
    return;
  }
  const undo = () =>
    change((now) => {
      if (now.body === is.body) return { ...now, body: was.body, blanks: was.blanks };
      toast.error(t`You have typed since: undo it in the text, with Ctrl Z.`);
      return now;
    });
  toast.success(done, { action: { label: t`Undo`, onClick: undo } });
}
