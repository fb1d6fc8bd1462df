/** A mark of a text, from its opening braces to its closing ones: braces in its strings do not end it. */
const mark = /\{\{[ \t]*#[^\n]*?\}\}|\{\{(?:"(?:\\.|[^"\\\n])*"|[^\n])*?\}\}/g;

const inWord = /[\p{L}\p{N}_]/u;

/** Where a passage stands in a text outside marks, and not as a part of words. */
export function placesOf(text: string, passage: string): number[] {
  const marks = [...text.matchAll(mark)].map((m) => [m.index, m.index + m[0].length] as const);
  const places: number[] = [];
  for (let at = text.indexOf(passage); at >= 0; at = text.indexOf(passage, at + 1)) {
    const end = at + passage.length;
    if (places.length > 0 && at < places[places.length - 1]! + passage.length) continue;
    const before = [...text.slice(Math.max(0, at - 2), at)].pop() ?? "";
    const after = [...text.slice(end, end + 2)][0] ?? "";
    const cutsWord =
      (inWord.test(before) && inWord.test([...passage][0] ?? "")) ||
      (inWord.test(after) && inWord.test([...passage].pop() ?? ""));
    // A mark as a whole may be a part of the passage; a part of a mark may not.
    const cutsMark = marks.some(([from, to]) => at < to && end > from && !(at <= from && end >= to));
    if (!cutsWord && !cutsMark) places.push(at);
  }
  return places;
}

/** Puts another text in the place of a passage, in each of its places. */
export function replaceAt(text: string, places: number[], length: number, by: string): string {
  let out = "";
  let from = 0;
  for (const at of places) {
    out += text.slice(from, at) + by;
    from = at + length;
  }
  return out + text.slice(from);
}
