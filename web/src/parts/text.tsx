import { t } from "@lingui/core/macro";
import { useState } from "react";
import type { Kind, Span } from "../data/api";
import { kindWords, linesOf, type Piece } from "../data/words";

/** Which entry a stretch of text came from. */
export interface Origin {
  kind: Kind;
  title: string;
}

interface Filled {
  text: string;
  spans: Span[];
  missing: Set<string>;
  /** Names the entries by "slug@version"; with them the margin is drawn. */
  origins?: Record<string, Origin>;
}

const originOf = (from: Span["from"]) => `${from.entry}@${from.version}`;

/** A filled text as it is read: headings set as such, values marked, and beside each line the margin that shows where it came from. */
export function FilledText({ text, spans, missing, origins }: Filled) {
  const [pointed, setPointed] = useState<string | null>(null);
  const lines = linesOf(text, spans);
  const from = linesFrom(lines);
  return (
    <div
      className="font-serif text-[17px] leading-[27px]"
      data-testid="filled"
      onMouseLeave={() => setPointed(null)}
    >
      {lines.map((pieces, i) => {
        const key = from[i] && originOf(from[i]);
        const origin = key ? origins?.[key] : undefined;
        const dimmed = pointed !== null && key !== pointed;
        return (
          <div key={i} className={`flex ${dimmed ? "opacity-40" : ""}`}>
            {origin && (
              <span
                aria-hidden
                title={`${origin.title} ${from[i]?.version}`}
                data-origin={key}
                className={`me-5 w-1.5 shrink-0 ${kindWords[origin.kind].colour}`}
                onMouseEnter={() => setPointed(key ?? null)}
              />
            )}
            <Line pieces={pieces} missing={missing} />
          </div>
        );
      })}
      {pointed && origins?.[pointed] && (
        <p
          role="status"
          className="fixed end-6 bottom-6 z-20 rounded-field bg-ink px-3 py-1.5 font-sans text-small text-paper shadow-lift"
        >
          {origins[pointed].title} {pointed.split("@")[1]}
        </p>
      )}
    </div>
  );
}

/** Where each line came from; an empty line belongs to what is before it. */
function linesFrom(lines: Piece[][]): (Span["from"] | undefined)[] {
  const from: (Span["from"] | undefined)[] = [];
  for (const line of lines) from.push(innermost(line, from[from.length - 1]));
  return from;
}

/** A line is shown as what it includes, if it includes anything: that is what one wants to know. */
function innermost(pieces: Piece[], before: Span["from"] | undefined): Span["from"] | undefined {
  const first = pieces[0]?.from ?? before;
  return pieces.find((p) => first && originOf(p.from) !== originOf(first))?.from ?? first;
}

function Line({ pieces, missing }: { pieces: Piece[]; missing: Set<string> }) {
  const first = pieces[0];
  const look = "max-w-[74ch] min-w-0 break-words whitespace-pre-wrap";
  if (!first) return <p className="min-h-[14px] leading-[14px]">{"\n"}</p>;
  const heading = /^(#{1,6}) +/.exec(first.text);
  const rest = heading
    ? [{ ...first, text: first.text.slice(heading[0].length) }, ...pieces.slice(1)]
    : pieces;
  return (
    <p className={`${look} ${heading ? "font-bold" : ""}`}>
      {rest.map((p, i) => (
        <Part key={i} piece={p} missing={missing} />
      ))}
    </p>
  );
}

function Part({ piece, missing }: { piece: Piece; missing: Set<string> }) {
  const blank = piece.from.blank;
  if (!blank) return piece.text;
  const open = missing.has(blank);
  return (
    <mark
      className={`rounded-[3px] bg-wash px-0.5 text-ink ${open ? "border-b border-dashed border-faded" : "border-b border-gold"}`}
      title={open ? t`${blank} is still to be filled in` : blank}
    >
      {piece.text}
    </mark>
  );
}

/** A text as it was written, with its marks coloured. */
export function WrittenText({ body }: { body: string }) {
  const parts = body.split(/(\{\{[^\n]*?\}\})/);
  return (
    <pre
      className="max-w-[78ch] font-mono text-small leading-[21px] break-words whitespace-pre-wrap"
      data-testid="written"
    >
      {parts.map((p, i) =>
        i % 2 ? (
          <span key={i} className="rounded-[3px] bg-wash text-gold">
            {p}
          </span>
        ) : (
          p
        ),
      )}
    </pre>
  );
}
