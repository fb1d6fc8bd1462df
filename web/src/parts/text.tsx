import type { Span } from "../data/api";
import { linesOf, type Piece } from "../data/words";

/** A filled text as it is read: headings set as such, values marked, line by line. */
export function FilledText({ text, spans, missing }: { text: string; spans: Span[]; missing: Set<string> }) {
  return (
    <div
      className="max-w-[74ch] font-serif text-[17px] leading-[27px] break-words whitespace-pre-wrap"
      data-testid="filled"
    >
      {linesOf(text, spans).map((pieces, i) => (
        <Line key={i} pieces={pieces} missing={missing} />
      ))}
    </div>
  );
}

function Line({ pieces, missing }: { pieces: Piece[]; missing: Set<string> }) {
  const first = pieces[0];
  const heading = first && /^(#{1,6}) +/.exec(first.text);
  if (!first) return <p className="min-h-[14px] leading-[14px]">{"\n"}</p>;
  if (!heading)
    return (
      <p>
        {pieces.map((p, i) => (
          <Part key={i} piece={p} missing={missing} />
        ))}
      </p>
    );
  const rest = [{ ...first, text: first.text.slice(heading[0].length) }, ...pieces.slice(1)];
  return (
    <p className="font-bold">
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
      title={open ? `${blank} is still to be filled in` : blank}
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
