import type { Entry, Item } from "./api";
import { keep, kept } from "./browser";

const most = 8;

/** What this person has used last, in this browser. */
export function recentItems(name: string): Item[] {
  const items = kept<Item[]>(`recent.${name}`);
  return Array.isArray(items) ? items : [];
}

export function rememberUse(name: string, e: Entry) {
  const { slug, kind, title, summary, labels, owner, owner_name, version, state, saved_at } = e;
  const item: Item = { slug, kind, title, summary, labels, owner, owner_name, version, state, saved_at };
  const others = recentItems(name).filter((i) => i.slug !== slug);
  keep(`recent.${name}`, [item, ...others].slice(0, most));
}
