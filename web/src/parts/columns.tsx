import { Trans } from "@lingui/react/macro";
import type { Diff } from "../data/api";

type Line = Diff["lines"][number];

/** Two texts line by line: what one of them alone says is marked, and said to those who do not see it. */
export function Columns({ lines }: { lines: Line[] }) {
  return (
    <div className="font-serif text-base leading-[25px]" data-testid="side-by-side">
      {lines.map((l, i) => (
        <div key={i} className="grid grid-cols-2 gap-5">
          <Cell line={l} side="left" />
          <Cell line={l} side="right" />
        </div>
      ))}
    </div>
  );
}

const only = { left: ["removed", "left"], right: ["added", "moved"] } as const;

function Cell({ line, side }: { line: Line; side: "left" | "right" }) {
  const other = side === "left" ? only.right : only.left;
  if ((other as readonly string[]).includes(line.op)) return <p aria-hidden className="min-h-[13px]" />;
  if (line.op === "omitted") return <p className="px-1 text-faded">…</p>;
  const alone = (only[side] as readonly string[]).includes(line.op);
  const drop = side === "left" ? "added" : "removed";
  const parts = line.op === "changed" ? line.parts.filter((p) => p.op !== drop) : line.parts;
  const ground = "bg-wash";
  return (
    <p className={`min-h-[13px] min-w-0 px-1 break-words whitespace-pre-wrap ${alone ? ground : ""}`}>
      {alone && line.parts.some((p) => p.text.trim()) && (
        <span className="sr-only">
          <Trans>only here:</Trans>
        </span>
      )}
      {parts.map((p, i) =>
        line.op === "changed" && p.op !== "same" ? (
          <mark key={i} className={`${ground} text-ink`}>
            {p.text}
          </mark>
        ) : (
          <span key={i}>{p.text}</span>
        ),
      )}
    </p>
  );
}
