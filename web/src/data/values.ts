import type { Blank, Value, Values } from "./api";
import { keep, kept } from "./browser";

const most = 200; // blanks

/** What this person filled in last, by the blanks' names: in this browser and nowhere else. */
export function lastValues(name: string): Values {
  const values = kept<Values>(`values.${name}`);
  return values && typeof values === "object" && !Array.isArray(values) ? values : {};
}

/** Keeps what was filled in, the newest of each blank. */
export function rememberValues(name: string, values: Values) {
  const given = Object.entries(values).filter(([, v]) => v !== "" && v !== null && v !== undefined);
  const names = new Set(given.map(([k]) => k));
  const others = Object.entries(lastValues(name)).filter(([k]) => !names.has(k));
  keep(`values.${name}`, Object.fromEntries([...others, ...given].slice(-most)));
}

export function forgetValues(name: string) {
  keep(`values.${name}`, {});
}

/** Values as the fragment of a link: it never leaves the browser. */
export function asFragment(values: Values): string {
  const all = new URLSearchParams();
  for (const [name, value] of Object.entries(values)) {
    for (const one of Array.isArray(value) ? value : [value]) {
      if (one !== "" && one !== null && one !== undefined) all.append(name, String(one));
    }
  }
  return all.toString();
}

/** The values that a link's fragment carries, and the names of those that no blank is for any more. */
export function fromFragment(fragment: string, blanks: Blank[]): { values: Values; gone: string[] } {
  const values: Values = {};
  const gone: string[] = [];
  const text = fragment.replace(/^#/, "");
  if (!text.includes("=")) return { values, gone };
  const all = new URLSearchParams(text);
  for (const name of new Set(all.keys())) {
    const blank = blanks.find((b) => b.name === name);
    if (!blank) {
      gone.push(name);
      continue;
    }
    const given: Value = all.getAll(name);
    values[name] = blank.type === "pick-many" ? given : (given[given.length - 1] ?? "");
  }
  return { values, gone };
}
