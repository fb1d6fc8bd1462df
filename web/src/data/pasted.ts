/** A text that was pasted on one page, on its way to another: what for says what it becomes there. */
const texts = new Map<string, string>();

export function setPasted(pasted: string, what = "text") {
  texts.set(what, pasted);
}

export function takePasted(what = "text"): string {
  const pasted = texts.get(what) ?? "";
  texts.delete(what);
  return pasted;
}
