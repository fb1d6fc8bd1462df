import type { Entry, Item } from "./api";

const most = 8;
const keyFor = (name: string) => `goldshelf.recent.${name}`;

/** What this person has used last, in this browser. */
export function recentItems(name: string): Item[] {
  try {
    return JSON.parse(localStorage.getItem(keyFor(name)) ?? "[]") as Item[];
  } catch {
    return [];
  }
}

export function rememberUse(name: string, e: Entry) {
  const { slug, kind, title, summary, labels, owner, owner_name, version, state, saved_at } = e;
  const item: Item = { slug, kind, title, summary, labels, owner, owner_name, version, state, saved_at };
  const others = recentItems(name).filter((i) => i.slug !== slug);
  localStorage.setItem(keyFor(name), JSON.stringify([item, ...others].slice(0, most)));
}
