import type { Entry, Item } from "./api";
import { keep, kept } from "./browser";
import { itemOf } from "./recent";

/** A project or an area of somebody's own, with the entries that they use for it. */
export interface Project {
  name: string;
  items: Item[];
}

/** What this person uses entries for, in this browser. */
export function projects(person: string): Project[] {
  const all = kept<Project[]>(`projects.${person}`);
  return Array.isArray(all) ? all : [];
}

/** Puts an entry among those of a project, which is new if there was none of the name; or takes it out. One without entries is gone. */
export function setUsedFor(person: string, project: string, entry: Entry | Item, on: boolean): Project[] {
  const all = projects(person);
  const others = (all.find((p) => p.name === project)?.items ?? []).filter((i) => i.slug !== entry.slug);
  const items = on ? [...others, itemOf(entry)] : others;
  const known = all.some((p) => p.name === project);
  const next = known
    ? all.map((p) => (p.name === project ? { ...p, items } : p))
    : [...all, { name: project, items }];
  const left = next.filter((p) => p.items.length > 0);
  keep(`projects.${person}`, left);
  return left;
}
