import { isNear, leftWords, useAllowances } from "../data/allowances";

/** What one may still use up this month, where one is about to run something. */
export function Left() {
  const now = useAllowances().data;
  if (!now || now.mine.length === 0) return null;
  return (
    <p className="text-small text-faded">
      Left this month:{" "}
      {now.mine.map((a, i) => (
        <span key={a.kind} className={isNear(a) ? "font-semibold text-stop" : ""}>
          {i > 0 && "; "}
          {isNear(a) && "▲ "}
          {leftWords(a, now.currency)}
          {a.kind === "department" && ` for ${a.name} together`}
        </span>
      ))}
      .
    </p>
  );
}
