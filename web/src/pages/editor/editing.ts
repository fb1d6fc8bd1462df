import type { NewEntry } from "../../data/api";

/** A draft in the hands of whoever writes it. */
export interface Editing {
  draft: NewEntry;
  change: (next: NewEntry) => void;
}
