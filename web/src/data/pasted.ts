/** A text that was pasted on one page, on its way to another. */
let text = "";

export function setPasted(pasted: string) {
  text = pasted;
}

export function takePasted(): string {
  const pasted = text;
  text = "";
  return pasted;
}
