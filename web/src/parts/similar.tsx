import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Similar } from "../data/import";
import { stateWords } from "../data/words";
import { KindTile } from "./basics";
import { Dialog } from "./dialog";

/** Entries that say nearly what a text says; each can be held against it. */
export function SimilarEntries({ items, text }: { items: Similar[]; text: string }) {
  const [open, setOpen] = useState<Similar | null>(null);
  return (
    <>
      <ul className="flex flex-col divide-y divide-line">
        {items.map((it) => (
          <li key={`${it.slug}@${it.version}`} className="flex items-start gap-2.5 py-2.5">
            <KindTile kind={it.kind} />
            <div className="min-w-0 flex-1">
              <Link to="/entries/$slug" params={{ slug: it.slug }} className="font-semibold hover:underline">
                {it.title || it.slug}
              </Link>
              <p className="text-small text-faded">
                {likeness(it)} · {stateWords[it.state]} · {it.owner_name}
              </p>
            </div>
            <button
              type="button"
              className="min-h-6 px-1 font-semibold text-gold hover:underline"
              onClick={() => setOpen(it)}
              aria-label={t`Compare with ${it.title || it.slug}`}
            >
              <Trans>Compare</Trans>
            </button>
          </li>
        ))}
      </ul>
      <Dialog
        wide
        open={open !== null}
        onOpen={(o) => !o && setOpen(null)}
        title={open ? `${open.title || open.slug}, ${likeness(open)}` : ""}
      >
        {open && <SideBySide it={open} text={text} />}
      </Dialog>
    </>
  );
}

/** How two texts are alike, in words: the one contained in the other where that says more. */
export function likeness(it: Similar): string {
  if (it.likeness >= 80 || (it.contains < 80 && it.contained < 80)) return `${it.likeness} % alike`;
  if (it.contains >= it.contained) return t`${it.contains} % of it is in this text`;
  return t`${it.contained} % of this text is in it`;
}

/** Both texts; what they have in common stands back, and what differs is seen. */
function SideBySide({ it, text }: { it: Similar; text: string }) {
  return (
    <div className="grid gap-5 sm:grid-cols-2">
      <Marked
        title={t`This text`}
        text={text}
        common={it.passages.map((p): [number, number] => [p.start, p.end])}
      />
      <Marked
        title={t`${it.slug}, version ${it.version}`}
        text={it.body}
        common={it.passages.map((p): [number, number] => [p.other_start, p.other_end])}
      />
    </div>
  );
}

function Marked({ title, text, common }: { title: string; text: string; common: [number, number][] }) {
  return (
    <section aria-label={title}>
      <h3 className="mb-1.5 font-sans text-base font-semibold">{title}</h3>
      <div
        tabIndex={0}
        role="region"
        aria-label={t`Text of ${title}`}
        className="max-h-[60vh] overflow-auto rounded-card border border-line bg-leaf p-4 font-mono text-small leading-[21px] whitespace-pre-wrap"
      >
        {cut(text, common).map((piece, i) =>
          piece.common ? (
            <span key={i} className="text-faded">
              {piece.text}
            </span>
          ) : (
            <mark key={i} className="bg-wash text-ink">
              {piece.text}
            </mark>
          ),
        )}
      </div>
    </section>
  );
}

/** Cuts a text at stretches that count bytes. */
function cut(text: string, stretches: [number, number][]): { text: string; common: boolean }[] {
  const bytes = new TextEncoder().encode(text);
  const decoder = new TextDecoder();
  const pieces: { text: string; common: boolean }[] = [];
  let at = 0;
  const add = (to: number, common: boolean) => {
    if (to > at) pieces.push({ text: decoder.decode(bytes.subarray(at, to)), common });
    at = Math.max(at, to);
  };
  for (const [start, end] of [...stretches].sort((a, b) => a[0] - b[0])) {
    add(start, false);
    add(end, true);
  }
  add(bytes.length, false);
  return pieces;
}
