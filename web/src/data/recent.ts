import type { Entry, Item } from "./api";
import { keep, kept } from "./browser";

const most = 8;

/** What this person has used last, in this browser. */
export function recentItems(name: string): Item[] {
  const items = kept<Item[]>(`recent.${name}`);
  return Array.isArray(items) ? items : [];
}

export function rememberUse(name: string, e: Entry) {
  const others = recentItems(name).filter((i) => i.slug !== e.slug);
  keep(`recent.${name}`, [itemOf(e), ...others].slice(0, most));
}

/** An entry as lists show it. */
export function itemOf(e: Entry | Item): Item {
  const { slug, kind, title, summary, labels, owner, owner_name, version, state, saved_at } = e;
  return { slug, kind, title, summary, labels, owner, owner_name, version, state, saved_at };
}
