// What a page says that is in no catalogue, has no room for, or has no place of its own for.
window.lookAtLanguage = () => {
  const known = [];
  const gather = (value) => {
    if (typeof value === "string" || typeof value === "number") known.push(String(value));
    else if (value && typeof value === "object")
      Object.values(value).forEach(gather);
  };
  for (const text of window.answers) {
    try {
      gather(JSON.parse(text));
    } catch {
      known.push(text);
    }
  }
  known.push(decodeURIComponent(location.search.replaceAll("+", " ")));
  const flat = (text) => text.replace(/\s+/g, " ").trim().toLowerCase();
  const data = known.map(flat).join("\n");
  const months = "January|February|March|April|May|June|July|August|September|October|November|December";
  const dates = new RegExp(`\\b(\\d{1,2} )?(${months})( \\d{4})?\\b`, "g");
  const foreign = (text) =>
    text
      .replace(/\u2068[^\u2069]*\u2069/g, "|")
      .replace(/^[^\u2068]*\u2069|\u2068[^\u2069]*$/g, "|") // a message that has elements in it
      .replace(dates, "|")
      .replace(/\{\{[^}]*\}\}|@\d+|alt\+\w/g, "|")
      .split(/[|·,:;()“”«»"…→←=+×/–\n]+|[.?!] /)
      .map((piece) => piece.trim().replace(/^[\d.\s%]+|[\d.?!\s%]+$/g, ""))
      .filter((piece) => /\p{L}{3,}/u.test(piece) && !data.includes(flat(piece)));
  const found = [];
  const where = (el) => el.closest("[id], section, main, nav")?.outerHTML.slice(0, 60) ?? "";
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walker.nextNode(); node; node = walker.nextNode()) {
    const el = node.parentElement;
    if (!el || el.closest("script, style, noscript, code, pre, .cm-editor, [translate=no]") || !/\S/.test(node.data)) continue;
    for (const piece of foreign(node.data)) found.push(`in no catalogue: ${piece}`);
    // A text stays in the block that it is in, unless that scrolls or cuts it off on purpose.
    let block = el;
    while (block.parentElement && /^(inline|contents)$/.test(getComputedStyle(block).display)) block = block.parentElement;
    if (!node.data.includes("\u2068") || el.closest(".sr-only, [role=img], svg") || getComputedStyle(block).overflowX !== "visible") continue;
    const range = document.createRange();
    range.selectNodeContents(node);
    const text = range.getBoundingClientRect();
    const room = block.getBoundingClientRect();
    if (text.width > 0 && room.width > 0 && (text.right > room.right + 2 || text.left < room.left - 2)) {
      let scrolls = false;
      for (let up = block; up; up = up.parentElement) scrolls ||= getComputedStyle(up).overflowX !== "visible" && up !== document.documentElement && up !== document.body;
      if (!scrolls) found.push(`no room at ${innerWidth}: ${node.data.trim().slice(0, 60)} in ${where(el)}`);
    }
  }
  for (const el of document.querySelectorAll("[aria-label], [title], [placeholder], [alt]"))
    for (const name of ["aria-label", "title", "placeholder", "alt"]) {
      const text = el.getAttribute(name);
      if (text && !el.closest(".cm-editor, [translate=no]")) for (const piece of foreign(text)) found.push(`in no catalogue, ${name}: ${piece}`);
    }
  for (const head of document.querySelectorAll("th"))
    if (getComputedStyle(head).textAlign.endsWith("center") && !head.closest(".text-center")) found.push(`in the middle, where nothing asks for it: ${head.innerText} in ${where(head)}`);
  if (document.documentElement.scrollWidth > innerWidth + 1) found.push(`wider than the window at ${innerWidth}`);
  return found;
};
