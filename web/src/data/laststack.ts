import { keep, kept } from "./browser";

const most = 12;

interface Named {
  name: string;
  title: string;
}

/** Which personas, styles, sheets or applications this person has used last, in this browser. */
export function lastUsed(person: string, kind: string): Named[] {
  const all = kept<Named[]>(`last.${kind}.${person}`);
  return Array.isArray(all) ? all : [];
}

export function rememberLast(person: string, kind: string, one: Named) {
  const others = lastUsed(person, kind).filter((n) => n.name !== one.name);
  keep(`last.${kind}.${person}`, [{ name: one.name, title: one.title }, ...others].slice(0, most));
}

/** Puts what was used last before all others, in that order. */
export function lastFirst(all: Named[], last: Named[]): Named[] {
  return [...last, ...all.filter((a) => !last.some((l) => l.name === a.name))];
}
