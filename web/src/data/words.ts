import { t } from "@lingui/core/macro";
import type { Blank, Entry, Facet, Item, Kind, Span, Value } from "./api";

export const kindWords: Record<Kind, { letter: string; name: string; colour: string; border: string }> = {
  prompt: { letter: "P", name: t`Prompt`, colour: "bg-prompt", border: "border-prompt" },
  persona: { letter: "W", name: t`Persona`, colour: "bg-persona", border: "border-persona" },
  style: { letter: "S", name: t`Style`, colour: "bg-style", border: "border-style" },
  snippet: { letter: "N", name: t`Snippet`, colour: "bg-snippet", border: "border-snippet" },
  sheet: { letter: "F", name: t`Sheet`, colour: "bg-sheet", border: "border-sheet" },
  relay: { letter: "R", name: t`Relay`, colour: "bg-relay", border: "border-relay" },
};

/** A state as a word with a small sign. */
export const stateWords: Record<Entry["state"], string> = {
  draft: t`✎ Draft`,
  "in-review": t`◌ In review`,
  approved: t`◑ Approved`,
  published: t`✓ Published`,
  superseded: t`Superseded`,
  retired: t`✕ Retired`,
};

/** The words of a label, as its curators wrote them. */
export function termTitle(facets: Facet[] | undefined, facet: string, term: string): string {
  return facets?.find((f) => f.name === facet)?.terms.find((t) => t.name === term)?.title ?? term;
}

/** What to ask for a blank: its question, or its name as words. */
export function question(b: Blank): string {
  if (b.ask) return b.ask;
  const words = b.name.replaceAll("_", " ");
  return words.charAt(0).toUpperCase() + words.slice(1);
}

export function titleOf(e: Pick<Item, "title" | "slug">): string {
  return e.title.trim() || e.slug;
}

/** A value as one text, for a field. */
export function asText(v: Value | undefined): string {
  return Array.isArray(v) ? v.join(", ") : String(v ?? "");
}

/** A stretch of text with where it came from. */
export interface Piece {
  text: string;
  from: Span["from"];
}

/** Cuts a text at its spans, which count bytes, and again at its line ends. */
export function linesOf(text: string, spans: Span[]): Piece[][] {
  const bytes = new TextEncoder().encode(text);
  const decoder = new TextDecoder();
  const lines: Piece[][] = [[]];
  for (const span of spans) {
    const parts = decoder.decode(bytes.subarray(span.start, span.end)).split("\n");
    parts.forEach((part, i) => {
      if (i > 0) lines.push([]);
      if (part) lines[lines.length - 1]?.push({ text: part, from: span.from });
    });
  }
  return lines;
}

export function wordCount(text: string): number {
  return text.split(/\s+/).filter(Boolean).length;
}

/** Actions that others are told of, as something that was done. */
export const happened: Record<string, string> = {
  publish: t`published`,
  retire: t`retired`,
  restore: t`back on the shelf`,
  "take-back": t`unpublished`,
  return: t`returned`,
  "answer-report": t`answered your report`,
};

/** The name that applications read something by, from its title. */
export function nameFrom(title: string): string {
  return title
    .normalize("NFKD")
    .toLowerCase()
    .replace(/[\u0300-\u036f]/g, "")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 64);
}

/** What someone may do, as a word. */
export const roleWords = {
  reader: t`reader`,
  contributor: t`contributor`,
  reviewer: t`reviewer`,
  curator: t`curator`,
};

/** How much a finding of a check counts. */
export const severityWords = { off: t`off`, note: t`note`, warning: t`warning`, stop: t`stop` };
