import { Link, useNavigate } from "@tanstack/react-router";
import type { KeyboardEvent } from "react";
import type { Facet, Item } from "../../data/api";
import { useLabels, useShelf, type Narrowing } from "../../data/hooks";
import { dateWords } from "../../data/times";
import { termTitle, titleOf } from "../../data/words";
import { Button, Empty, Spine, Trouble, Waiting } from "../../parts/basics";

/** Results as one types, with label counts at the side. */
export function Find({ narrowing }: { narrowing: Narrowing }) {
  const shelf = useShelf(narrowing);
  const pages = shelf.data?.pages;
  if (shelf.error) return <Trouble error={shelf.error} title="The shelf could not be searched" />;
  const first = pages?.[0];
  if (!first) return <Waiting lines={9} />;
  const items = pages.flatMap((p) => p.items);
  return (
    <div className="grid gap-8 wide:grid-cols-[210px_1fr]">
      <Facets facets={first.facets} narrowing={narrowing} />
      <section aria-label="Results" className="min-w-0 max-wide:order-first">
        <Headline total={first.total} narrowing={narrowing} facets={first.facets} />
        {items.length === 0 ? (
          <Empty title="Nothing on the shelf matches">
            Fewer words or labels find more. Parts of words count too.
          </Empty>
        ) : (
          <ol className="flex flex-col gap-2.5" onKeyDown={move}>
            {items.map((i) => (
              <Row key={i.slug} item={i} words={wordsOf(narrowing.q)} />
            ))}
          </ol>
        )}
        {shelf.hasNextPage && (
          <Button
            className="mt-4"
            disabled={shelf.isFetchingNextPage}
            onClick={() => void shelf.fetchNextPage()}
          >
            Show more of {first.total}
          </Button>
        )}
      </section>
    </div>
  );
}

function Headline({ total, narrowing, facets }: { total: number; narrowing: Narrowing; facets: Facet[] }) {
  const chosen = facets.flatMap((f) => chosenOf(narrowing, f.name).map((t) => termTitle(facets, f.name, t)));
  return (
    <div className="mb-3 flex flex-wrap items-baseline gap-2" aria-live="polite">
      <h1 className="font-sans text-base font-bold">{total === 1 ? "1 entry" : `${total} entries`}</h1>
      <p className="text-faded">
        {chosen.length > 0 && `in ${chosen.join(", ")} `}
        {narrowing.q && `for “${narrowing.q}”`}
      </p>
      <Link to="/" className="ml-auto text-small font-semibold text-gold hover:underline">
        Clear all
      </Link>
    </div>
  );
}

function chosenOf(narrowing: Narrowing, facet: string): string[] {
  const terms = narrowing[facet];
  return Array.isArray(terms) ? terms : terms ? [terms] : [];
}

/** Arrow keys go through the results. */
function move(e: KeyboardEvent<HTMLElement>) {
  if (e.key !== "ArrowDown" && e.key !== "ArrowUp") return;
  e.preventDefault();
  const results = [...document.querySelectorAll<HTMLElement>("[data-result]")];
  const at = results.indexOf(document.activeElement as HTMLElement);
  const next = results[at + (e.key === "ArrowDown" ? 1 : -1)];
  if (next) next.focus();
  else if (e.key === "ArrowUp") document.querySelector<HTMLElement>("[role=search] input")?.focus();
}

function Facets({ facets, narrowing }: { facets: Facet[]; narrowing: Narrowing }) {
  const navigate = useNavigate();
  const toggle = (facet: string, term: string, on: boolean) => {
    const terms = chosenOf(narrowing, facet).filter((t) => t !== term);
    if (on) terms.push(term);
    void navigate({ to: "/", search: { ...narrowing, [facet]: terms.length > 0 ? terms : undefined } });
  };
  return (
    <div className="flex flex-col gap-6">
      {facets.map((f) => (
        <fieldset key={f.name}>
          <legend className="mb-1 w-full border-b-2 border-gilt pb-1 font-serif font-[650]">{f.title}</legend>
          {f.terms.map((t) => {
            const on = chosenOf(narrowing, f.name).includes(t.name);
            return (
              <label
                key={t.name}
                className={`flex cursor-pointer items-center gap-2 rounded-field px-1.5 py-0.5 hover:bg-wash ${on ? "bg-wash font-semibold text-gold" : t.count === 0 ? "text-faded" : ""}`}
              >
                <input
                  type="checkbox"
                  className="size-3.5 accent-gold"
                  checked={on}
                  onChange={(e) => toggle(f.name, t.name, e.target.checked)}
                />
                {t.title}
                <span className="ml-auto text-small tabular-nums">{t.count}</span>
              </label>
            );
          })}
        </fieldset>
      ))}
    </div>
  );
}

function Row({ item, words }: { item: Item; words: string[] }) {
  const labels = useLabels().data;
  const named = (facet: string) =>
    (item.labels[facet] ?? []).map((t) => termTitle(labels, facet, t)).join(", ");
  const facts = [
    named("department"),
    named("model"),
    `version ${item.version}`,
    `published ${dateWords(item.published_at)}`,
  ];
  return (
    <li>
      <Link
        data-result
        to="/entries/$slug"
        params={{ slug: item.slug }}
        className="group flex overflow-hidden rounded-card border border-line bg-leaf focus-visible:border-gold hover:border-gold"
      >
        <Spine kind={item.kind} />
        <span className="min-w-0 flex-1 px-4 py-3">
          <span className="block font-serif text-[17px] leading-[22px] font-[650]">
            <Marked text={titleOf(item)} words={words} />
          </span>
          <span className="mt-0.5 block text-small">
            <Marked text={item.summary} words={words} />
          </span>
          {item.passage && (
            <span className="mt-0.5 block text-small text-faded italic">
              <Marked text={item.passage} words={words} />
            </span>
          )}
          <span className="mt-1 block text-small text-faded">{facts.filter(Boolean).join(" · ")}</span>
        </span>
        <span
          aria-hidden
          className="mr-4 self-center rounded-field bg-gold px-3 py-1.5 text-small font-semibold whitespace-nowrap text-on-gold opacity-0 group-hover:opacity-100 group-focus-visible:opacity-100 max-sm:hidden"
        >
          Fill in ⏎
        </span>
      </Link>
    </li>
  );
}

function wordsOf(q: string | undefined): string[] {
  return (q ?? "")
    .toLowerCase()
    .split(/[^\p{L}\p{N}]+/u)
    .filter(Boolean);
}

/** Marks where the words that were searched for begin a word of the text. */
function Marked({ text, words }: { text: string; words: string[] }) {
  if (words.length === 0) return text;
  const parts = text.split(new RegExp(`((?<![\\p{L}\\p{N}])(?:${words.join("|")})[\\p{L}\\p{N}]*)`, "giu"));
  return parts.map((p, i) =>
    i % 2 ? (
      <mark key={i} className="rounded-[3px] bg-gilt/40 px-0.5 text-ink">
        {p}
      </mark>
    ) : (
      p
    ),
  );
}
