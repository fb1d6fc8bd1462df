/** Puts something among the downloads. */
export function save(data: Blob, name: string) {
  const address = URL.createObjectURL(data);
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  URL.revokeObjectURL(address);
}

const kept = ["fill", "stroke", "stroke-width", "font-family", "font-size", "font-weight", "text-anchor"];

/** A drawing as a file of its own: what it has of the page's look goes with it. */
function standing(drawing: SVGSVGElement): string {
  const copy = drawing.cloneNode(true) as SVGSVGElement;
  const from = [drawing, ...drawing.querySelectorAll("*")];
  [copy, ...copy.querySelectorAll("*")].forEach((el, i) => {
    const look = getComputedStyle(from[i]!);
    el.removeAttribute("class");
    for (const name of kept) el.setAttribute(name, look.getPropertyValue(name));
  });
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  return new XMLSerializer().serializeToString(copy);
}

export function saveSVG(drawing: SVGSVGElement, name: string) {
  save(new Blob([standing(drawing)], { type: "image/svg+xml" }), name);
}

/** The same as a picture, twice as large, on the page's ground. */
export async function savePNG(drawing: SVGSVGElement, name: string) {
  const { width, height } = drawing.viewBox.baseVal;
  const picture = new Image();
  picture.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(standing(drawing))}`;
  await picture.decode();
  const canvas = document.createElement("canvas");
  canvas.width = 2 * width;
  canvas.height = 2 * height;
  const pen = canvas.getContext("2d");
  if (!pen) return;
  pen.fillStyle = getComputedStyle(document.documentElement).getPropertyValue("--paper");
  pen.fillRect(0, 0, canvas.width, canvas.height);
  pen.drawImage(picture, 0, 0, canvas.width, canvas.height);
  canvas.toBlob((data) => data && save(data, name), "image/png");
}
