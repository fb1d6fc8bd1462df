import type { Messages } from "@lingui/core";

type Part = Messages[string];

const marked = (text: string) =>
  /\p{L}/u.test(text) ? text.replace(/^(\s*)(.*?)(\s*)$/su, "$1\u2068\u202e$2\u202c\u2069$3") : text;

/** A message with its words turned round and between marks that have no width; what is put into it stays. */
function turned(part: unknown): unknown {
  if (typeof part === "string") return marked(part);
  if (!Array.isArray(part)) return part;
  return part.map((piece: unknown) => {
    if (!Array.isArray(piece)) return turned(piece);
    const [name, format, cases] = piece as [string, string?, Record<string, unknown>?];
    if (!cases || typeof cases !== "object") return piece;
    const all = Object.entries(cases).map(([k, v]) => [k, k === "offset" ? v : turned(v)]);
    return [name, format, Object.fromEntries(all)];
  });
}

/**
 * The catalogue of a language that is made up of others: each message is the longest that they have of
 * it. What is not in a catalogue shows in it by its lack of marks, and what has no room by its length.
 */
export function madeUp(all: Messages[]): Messages {
  const longest: Messages = {};
  for (const messages of all)
    for (const [id, m] of Object.entries(messages))
      if (!(id in longest) || JSON.stringify(m).length > JSON.stringify(longest[id]).length) longest[id] = m;
  return Object.fromEntries(Object.entries(longest).map(([id, m]) => [id, turned(m) as Part]));
}
