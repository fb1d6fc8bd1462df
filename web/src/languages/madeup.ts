import type { Messages } from "@lingui/core";

type Part = Messages[string];

const marked = (text: string) =>
  /\p{L}/u.test(text) ? text.replace(/^(\s*)(.*?)(\s*)$/su, "$1⟦\u202e$2\u202c⟧$3") : text;

/** A message with its words turned round and between brackets; what is put into it stays. */
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

/** The catalogue of a language that is made up of the English one. */
export function madeUp(english: Messages): Messages {
  return Object.fromEntries(Object.entries(english).map(([id, m]) => [id, turned(m) as Part]));
}
