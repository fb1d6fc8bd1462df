import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";
import type { Entry, NewEntry } from "../../data/api";
import { Refused, Unreachable } from "../../data/api";
import { forget, keep, kept } from "../../data/browser";
import { readDraft, saveDraft, useSession } from "../../data/hooks";
import type { Change } from "./editing";

export type Saving =
  | { state: "saved"; at: Date | null }
  | { state: "typing" }
  | { state: "saving" }
  | { state: "offline" }
  | { state: "refused"; error: Error }
  | { state: "conflict"; theirs: Entry; etag: string };

const pause = 700; // ms after the last key
const again = 3000; // ms between tries without a connection

/** One person's unsaved text of an entry: nobody else who signs in here gets it. */
const keyFor = (person: string, slug: string) => `unsaved.${person}.${slug}`;

/** A text that an earlier visit could not save, with the state that it was written on. */
interface Kept {
  draft: NewEntry;
  etag: string;
}

/**
 * Saves a draft a moment after each change, one save at a time. What is not
 * saved yet is kept in this browser too, so that a lost connection or a closed
 * window loses no word.
 */
export class Saver {
  private wanted: NewEntry | null = null; // what is still to be saved
  private running: Promise<boolean> | null = null;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private readonly watchers = new Set<() => void>();
  private shown: { draft: NewEntry; saving: Saving };

  constructor(
    private readonly slug: string,
    private readonly key: string,
    private etag: string,
    first: NewEntry,
    private readonly onSaved: (draft: Entry, etag: string) => void,
  ) {
    this.shown = { draft: first, saving: { state: "saved", at: null } };
  }

  readonly watch = (watcher: () => void) => {
    this.watchers.add(watcher);
    return () => this.watchers.delete(watcher);
  };

  readonly look = () => this.shown;

  private show(next: Partial<typeof this.shown>) {
    this.shown = { ...this.shown, ...next };
    this.watchers.forEach((w) => w());
  }

  get pending() {
    return this.wanted !== null;
  }

  /** Takes the next draft, or makes it from the one that is there by now. */
  readonly change = (next: Change) => {
    const draft = typeof next === "function" ? next(this.shown.draft) : next;
    if (draft === this.shown.draft) return;
    this.wanted = draft;
    const conflict = this.shown.saving.state === "conflict";
    this.show({ draft, saving: conflict ? this.shown.saving : { state: "typing" } });
    keep(this.key, { draft, etag: this.etag } satisfies Kept);
    if (!conflict) this.later(pause);
  };

  /** Goes on with another text, on the state that was read under etag. */
  readonly settle = (draft: NewEntry, etag: string) => {
    this.etag = etag;
    this.show({ saving: { state: "typing" } });
    this.change({ ...draft });
  };

  /** Saves what is still to be saved, and says whether all of it is. */
  readonly flush = (): Promise<boolean> => {
    clearTimeout(this.timer);
    this.running ??= this.save().finally(() => (this.running = null));
    return this.running;
  };

  /** Says whether there is an open version by now. */
  readonly begun = () => this.etag !== "";

  private later(ms: number) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.flush(), ms);
  }

  private async save(): Promise<boolean> {
    while (this.wanted) {
      const sending = this.wanted;
      this.show({ saving: { state: "saving" } });
      try {
        const saved = await saveDraft(this.slug, this.etag, sending);
        this.etag = saved.etag;
        this.onSaved(saved.data, saved.etag);
        if (this.wanted === sending) {
          this.wanted = null;
          forget(this.key);
        }
      } catch (e) {
        await this.failed(e as Error);
        return false;
      }
    }
    if (this.shown.saving.state !== "saved") this.show({ saving: { state: "saved", at: new Date() } });
    return true;
  }

  private async failed(e: Error) {
    try {
      if (e instanceof Refused && e.status === 412) {
        const theirs = await readDraft(this.slug);
        this.show({ saving: { state: "conflict", theirs: theirs.data, etag: theirs.etag } });
        return;
      }
    } catch (second) {
      e = second as Error;
    }
    if (e instanceof Unreachable) {
      this.show({ saving: { state: "offline" } });
      this.later(again);
    } else {
      this.show({ saving: { state: "refused", error: e } });
    }
  }
}

/** A draft under change, for as long as its editor is open. */
export function useAutosave(slug: string, first: NewEntry, etag: string) {
  const cache = useQueryClient();
  const key = keyFor(useSession().data?.name ?? "", slug);
  const [saver] = useState(
    () =>
      new Saver(slug, key, etag, first, (data, now) => {
        cache.setQueryData(["draft", slug], { data, etag: now });
        void cache.invalidateQueries({
          predicate: (q) => ["entry", "desk", "versions"].includes(String(q.queryKey[0])),
        });
      }),
  );
  const { draft, saving } = useSyncExternalStore(saver.watch, saver.look);

  useEffect(() => {
    const unsaved = kept<Kept>(key);
    if (unsaved) saver.settle(unsaved.draft, unsaved.etag); // a conflict, if someone has saved since
    const leaving = (e: BeforeUnloadEvent) => saver.pending && e.preventDefault();
    window.addEventListener("beforeunload", leaving);
    return () => {
      window.removeEventListener("beforeunload", leaving);
      if (saver.pending) void saver.flush();
    };
  }, [saver, key]);

  return {
    draft,
    saving,
    change: saver.change,
    flush: saver.flush,
    begun: saver.begun,
    settle: saver.settle,
  };
}
