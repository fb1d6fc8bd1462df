import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Diff } from "../data/api";

type Line = Diff["lines"][number];

const signs: Record<Line["op"], string> = {
  same: "",
  added: "+",
  removed: "−",
  changed: "~",
  left: "↓",
  moved: "↑",
  omitted: "…",
};

const names: Record<Line["op"], string> = {
  same: "",
  added: t`added`,
  removed: t`removed`,
  changed: t`changed`,
  left: t`moved from here`,
  moved: t`moved here`,
  omitted: "",
};

/** How many lines that are the same stand about a change. */
const around = 2;

/** What differs between two texts, line by line; within a changed line, word by word. */
export function Difference({ lines }: { lines: Line[] }) {
  if (lines.every((l) => l.op === "same"))
    return (
      <p className="text-faded">
        <Trans>The texts say the same.</Trans>
      </p>
    );
  const shown = lines.map((l, i) => l.op !== "same" || near(lines, i));
  return (
    <ol className="font-mono text-small leading-[21px]">
      {lines.map((line, i) =>
        shown[i] ? (
          <Row key={i} line={line} />
        ) : shown[i - 1] || i === 0 ? (
          <li key={i} className="py-0.5 ps-8 text-faded" aria-label={t`Lines that are the same`}>
            …
          </li>
        ) : null,
      )}
    </ol>
  );
}

function near(lines: Line[], at: number): boolean {
  return lines.slice(Math.max(0, at - around), at + around + 1).some((l) => l.op !== "same");
}

const grounds: Record<Line["op"], string> = {
  same: "",
  added: "bg-added",
  removed: "bg-removed",
  changed: "bg-wash",
  left: "",
  moved: "bg-wash",
  omitted: "text-faded",
};

function Row({ line }: { line: Line }) {
  return (
    <li className={`flex gap-3 ${grounds[line.op]} ${line.op === "left" ? "text-faded" : ""}`}>
      <span className="w-5 shrink-0 text-center select-none" aria-hidden>
        {signs[line.op]}
      </span>
      {names[line.op] && <span className="sr-only">{names[line.op]}: </span>}
      <span className="min-w-0 flex-1 break-words whitespace-pre-wrap">
        {line.parts.map((p, i) =>
          line.op === "changed" && p.op === "added" ? (
            <ins key={i} className="bg-added font-semibold no-underline">
              {p.text}
            </ins>
          ) : line.op === "changed" && p.op === "removed" ? (
            <del key={i} className="bg-removed">
              {p.text}
            </del>
          ) : (
            <span key={i}>{p.text}</span>
          ),
        )}
        {line.op === "omitted" &&
          plural(line.omitted ?? 0, { one: "# line is not shown", other: "# lines are not shown" })}
        {line.op === "left" && (
          <i>
            <Trans>(stands in line {line.new} now)</Trans>
          </i>
        )}
        {line.op === "moved" && (
          <i className="text-faded">
            <Trans>(stood in line {line.old})</Trans>
          </i>
        )}
      </span>
    </li>
  );
}

/** What differs besides the text, each in its own terms. */
export function FieldChanges({ fields }: { fields: Diff["fields"] }) {
  if (fields.length === 0) return null;
  return (
    <ul className="mb-4 list-disc ps-5">
      {fields.map((f) => (
        <li key={f.field + f.says}>{f.says}</li>
      ))}
    </ul>
  );
}
