import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { isNear, leftWords, useAllowances } from "../data/allowances";

/** What one may still use up this month, where one is about to run something. */
export function Left() {
  const now = useAllowances().data;
  if (!now || now.mine.length === 0) return null;
  return (
    <p className="text-small text-faded">
      <Trans>Left this month:</Trans>{" "}
      {now.mine.map((a, i) => (
        <span key={a.kind} className={isNear(a) ? "font-semibold text-stop" : ""}>
          {i > 0 && "; "}
          {isNear(a) && "▲ "}
          {leftWords(a, now.currency)}
          {a.kind === "department" && t` for ${a.name} together`}
        </span>
      ))}
      .
    </p>
  );
}
