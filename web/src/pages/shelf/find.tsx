import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { type KeyboardEvent } from "react";
import type { Facet, Item, List } from "../../data/api";
import { readAllSlugs, useLabels, useSession, useShelf, type Narrowing } from "../../data/hooks";
import { dateWords } from "../../data/times";
import { termTitle, titleOf } from "../../data/words";
import { Bulk } from "../../parts/bulk/bulk";
import { Button, Empty, sentence, Spine, Trouble, Waiting } from "../../parts/basics";
import { chosenOf, Facets, FacetsDialog } from "./facets";
import { Missed, opened, Unopened } from "./missed";

/** Results as one types, with label counts at the side. */
export function Find({ narrowing }: { narrowing: Narrowing }) {
  const shelf = useShelf(narrowing);
  const pages = shelf.data?.pages;
  if (shelf.error) return <Trouble error={shelf.error} title={t`The shelf could not be searched`} />;
  const first = pages?.[0];
  if (!first) return <Waiting lines={9} />;
  const items = pages.flatMap((p) => p.items);
  const missed = first.total === 0 || first.partial ? narrowing.q : undefined;
  return (
    <div className="grid gap-8 wide:grid-cols-[210px_1fr]">
      <div className="max-wide:hidden">
        <Facets facets={first.facets} narrowing={narrowing} />
      </div>
      <section aria-label={t`Results`} className="min-w-0">
        {missed && <Missed key={missed} words={missed} />}
        {!missed && narrowing.q && <Unopened key={narrowing.q} words={narrowing.q} />}
        <Headline total={first.total} narrowing={narrowing} facets={first.facets} />
        <FacetsDialog facets={first.facets} narrowing={narrowing} />
        <Remarks list={first} />
        {items.length === 0 ? (
          <Empty title={t`Nothing on the shelf matches`}>
            <Trans>Fewer words or labels find more. Parts of words count too.</Trans>
          </Empty>
        ) : (
          <ol
            className="flex flex-col gap-2.5"
            onKeyDown={move}
            onClick={() => narrowing.q && opened(narrowing.q)}
          >
            {items.map((i) => (
              <Row key={i.slug} item={i} />
            ))}
          </ol>
        )}
        {shelf.hasNextPage && (
          <Button
            className="mt-4"
            disabled={shelf.isFetchingNextPage}
            onClick={() => void shelf.fetchNextPage()}
          >
            <Trans>Show more of {first.total}</Trans>
          </Button>
        )}
      </section>
    </div>
  );
}

/** What is to be said of how the search was understood. */
function Remarks({ list }: { list: List }) {
  const remarks = (list.instead ?? []).map(
    (i) => t`No entry says “${i.typed}”; “${i.taken}” was looked for instead.`,
  );
  if (list.partial && list.total > 0)
    remarks.push(t`No entry has all of these words; these have most of them, or words like them.`);
  if (list.note) remarks.push(sentence(list.note));
  if (remarks.length === 0) return null;
  return (
    <div className="mb-3 rounded-card bg-wash px-4 py-2 text-small" role="status">
      {remarks.map((r) => (
        <p key={r}>{r}</p>
      ))}
    </div>
  );
}

function Headline({ total, narrowing, facets }: { total: number; narrowing: Narrowing; facets: Facet[] }) {
  const curator = useSession().data?.role === "curator";
  const chosen = facets.flatMap((f) => chosenOf(narrowing, f.name).map((t) => termTitle(facets, f.name, t)));
  return (
    <div className="mb-3 flex flex-wrap items-baseline gap-2" aria-live="polite">
      <h1 className="font-sans text-base font-bold">
        {plural(total, { one: "1 entry", other: "# entries" })}
      </h1>
      <p className="text-faded">
        {chosen.length > 0 && t`in ${chosen.join(", ")} `}
        {narrowing.q && t`for “${narrowing.q}”`}
      </p>
      {curator && (
        <Bulk
          entries={{ total, read: () => readAllSlugs(narrowing) }}
          can={["label", "transfer", "renew", "retire"]}
          exported={queryOf(narrowing)}
        />
      )}
      <Link to="/" className="ms-auto text-small font-semibold text-gold hover:underline">
        <Trans>Clear all</Trans>
      </Link>
    </div>
  );
}

/** A search as the query of an address. */
function queryOf(narrowing: Narrowing): string {
  const pairs = Object.entries(narrowing).flatMap(([name, value]) =>
    [value].flat().map((v) => [name, String(v)]),
  );
  return new URLSearchParams(pairs).toString();
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

function Row({ item }: { item: Item }) {
  const labels = useLabels().data;
  const named = (facet: string) =>
    (item.labels[facet] ?? []).map((t) => termTitle(labels, facet, t)).join(", ");
  const facts = [
    named("department"),
    named("model"),
    t`version ${item.version}`,
    t`published ${dateWords(item.published_at)}`,
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
            <Marked text={titleOf(item)} words={item.marks ?? []} />
          </span>
          <span className="mt-0.5 block text-small">
            <Marked text={item.summary} words={item.marks ?? []} />
          </span>
          {item.passage && (
            <span className="mt-0.5 block text-small text-faded italic">
              <Marked text={item.passage} words={item.marks ?? []} />
            </span>
          )}
          <span className="mt-1 block text-small text-faded">{facts.filter(Boolean).join(" · ")}</span>
          {item.missing && (
            <span className="mt-0.5 block text-small text-faded">
              <Trans>Does not say: {item.missing.join(", ")}</Trans>
            </span>
          )}
        </span>
        <span
          aria-hidden
          className="me-4 self-center rounded-field bg-gold px-3 py-1.5 text-small font-semibold whitespace-nowrap text-on-gold opacity-0 group-hover:opacity-100 group-focus-visible:opacity-100 max-sm:hidden"
        >
          <Trans>Fill in ⏎</Trans>
        </span>
      </Link>
    </li>
  );
}

/** Marks the words that were searched for, as the service says that they stand in the text. */
function Marked({ text, words }: { text: string; words: string[] }) {
  if (words.length === 0) return text;
  const any = words.map((w) => w.replace(/[\\^$.*+?()[\]{}|/]/g, "\\$&")).join("|");
  const parts = text.split(new RegExp(`((?<![\\p{L}\\p{N}])(?:${any})(?![\\p{L}\\p{N}]))`, "gu"));
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
