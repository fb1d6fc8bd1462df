import type { Heading } from "../../data/api";

/** A part of a text: the line of its heading as it is written, and all below it. The first may have none. */
export interface Part {
  heading: string;
  text: string;
}

/** Takes a text apart at its level-2 headings, outside fences. Joined, the parts are the text, byte for byte. */
export function split(body: string): Part[] {
  const parts: Part[] = [{ heading: "", text: "" }];
  let fence = "";
  for (const line of body.split(/(?<=\n)/)) {
    const mark = /^\s*(```|~~~)/.exec(line)?.[1] ?? "";
    if (mark && (fence === "" || fence === mark)) fence = fence ? "" : mark;
    if (!fence && line.startsWith("## ")) parts.push({ heading: line, text: "" });
    else parts[parts.length - 1]!.text += line;
  }
  return parts;
}

export function join(parts: Part[]): string {
  return parts.map((p) => p.heading + p.text).join("");
}

export function titleOf(part: Part): string {
  return part.heading.replace(/^## /, "").trim();
}

/** Adds a part where the outline has it: before the first part that comes after it there. */
export function withPart(parts: Part[], title: string, outline: Heading[]): Part[] {
  const order = outline.map((h) => h.title.toLowerCase());
  const rank = (p: Part) => order.indexOf(titleOf(p).toLowerCase());
  const own = order.indexOf(title.toLowerCase());
  let at = parts.findIndex((p) => rank(p) > own);
  if (at < 0) at = parts.length;
  const before = parts.slice(0, at);
  const last = before[before.length - 1];
  // A heading stands on a line of its own, an empty line after what is before it.
  if (last && (last.heading || last.text)) {
    const gap =
      last.text.endsWith("\n\n") || (!last.text && last.heading.endsWith("\n\n"))
        ? ""
        : (last.heading + last.text).endsWith("\n")
          ? "\n"
          : "\n\n";
    before[before.length - 1] = { ...last, text: last.text + gap };
  }
  const next = parts.slice(at);
  return [...before, { heading: `## ${title}\n`, text: next.length > 0 ? "\n" : "" }, ...next];
}
