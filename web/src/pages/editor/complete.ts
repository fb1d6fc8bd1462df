import { t } from "@lingui/core/macro";
import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import { answered, api } from "../../data/api";
import { searchShelf } from "../../data/hooks";
import { sheetsOf } from "../../data/sets";
import { asText } from "../../data/words";

/** What can stand in a mark here: the names of blanks, and any entry but the text itself. */
export interface Known {
  blanks: string[];
  slug: string;
}

const words = ["include", "fact", "if", t`if not`, "else", "end", "each", "or"];

/**
 * What can follow inside a mark: slugs after include and fact, as the service finds them, the
 * questions of a sheet after its slug, and else names and words.
 */
export async function complete(c: CompletionContext, known: Known): Promise<CompletionResult | null> {
  const slug = inMark(c, /(include|fact)\s+([a-z0-9-]*)$/);
  if (slug) {
    const [, word = "", typed = ""] = slug;
    const options = word === "fact" ? await sheets(typed) : await snippets(typed, known.slug);
    return { from: c.pos - typed.length, options, filter: false };
  }
  const question = inMark(c, /fact\s+([a-z0-9-]+(?:@\d+)?)\s+([a-z_0-9]*)$/);
  if (question) {
    const [, sheet = "", typed = ""] = question;
    return { from: c.pos - typed.length, options: await questions(sheet) };
  }
  const name = inMark(c, /(?:if\s+(?:not\s+)?)?([a-z_0-9]*)$/);
  if (!name) return null;
  const [, typed = ""] = name;
  return {
    from: c.pos - typed.length,
    options: [
      ...known.blanks.map((label) => ({ label, type: "variable" })),
      ...words.map((label) => ({ label, type: "keyword" })),
    ],
  };
}

/** What stands between the opening of a mark and the cursor, where it is of a shape. */
function inMark(c: CompletionContext, shape: RegExp): string[] | null {
  const before = c.matchBefore(new RegExp(`\\{\\{\\s*${shape.source}`));
  return before && shape.exec(before.text);
}

async function snippets(typed: string, but: string): Promise<Completion[]> {
  const found = await searchShelf(typed, "snippet").catch(() => null);
  return (found?.items ?? []).filter((i) => i.slug !== but).map((i) => named(i.slug, i.title));
}

/** The sheets of every question set: only an answer to a question has a name. */
async function sheets(typed: string): Promise<Completion[]> {
  const sets = await answered(api.GET("/sets")).catch(() => null);
  const found = await Promise.all((sets?.items ?? []).map((s) => sheetsOf(s.name, typed).catch(() => null)));
  return found.flatMap((f) => f?.items ?? []).map((s) => named(s.slug, s.title));
}

/** The questions of the set that a sheet answers, each with what the sheet says. */
async function questions(sheet: string): Promise<Completion[]> {
  const entry = await answered(api.GET("/shelf/{ref}", { params: { path: { ref: sheet } } })).catch(
    () => null,
  );
  if (!entry?.set) return [];
  const set = await answered(api.GET("/sets/{ref}", { params: { path: { ref: entry.set } } })).catch(
    () => null,
  );
  return (set?.groups ?? []).flatMap((g) =>
    g.questions.map((q) => named(q.name, asText(entry.answers?.[q.name]) || t`not answered`)),
  );
}

function named(label: string, detail: string): Completion {
  return { label, detail, type: "text" };
}
