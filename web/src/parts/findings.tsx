import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Fragment } from "react";
import type { Checked, Finding } from "../data/api";

const signs = { stop: "■", warning: "▲", note: "●", off: "" };

/** The parts of a good prompt, by the rule that looks for each. */
const partWords: Record<string, string> = {
  "anatomy-role": t`role`,
  "anatomy-background": t`background`,
  "anatomy-task": t`task`,
  "anatomy-steps": t`steps`,
  "anatomy-examples": t`examples`,
  "anatomy-limits": t`limits`,
  "anatomy-answer-form": t`answer form`,
};

/** What the checks found, stops first, each with its place, and with the change that puts it right where there is one. */
export function Findings({ checked, fix }: { checked: Checked; fix?: (f: Finding) => void }) {
  const shown = checked.parts.filter((p) => p.passage !== "");
  const stops = checked.findings.filter((f) => f.severity === "stop").length;
  return (
    <div>
      <ul className="flex flex-col divide-y divide-line">
        {checked.findings.map((f, i) => (
          <li key={i} className="flex gap-2.5 py-2.5">
            <span
              aria-hidden
              className={
                f.severity === "stop" ? "text-stop" : f.severity === "warning" ? "text-gold" : "text-faded"
              }
            >
              {signs[f.severity]}
            </span>
            <span>
              <span className="sr-only">{f.severity}: </span>
              {f.line ? (
                <span className="text-small text-faded">
                  <Trans>Line {f.line}.</Trans>
                </span>
              ) : null}
              {f.message}
            </span>
            {fix && f.fix && (
              <button
                type="button"
                className="ms-auto min-h-6 shrink-0 self-start px-1 font-semibold text-gold hover:underline"
                onClick={() => fix(f)}
              >
                {f.fix.name}
              </button>
            )}
          </li>
        ))}
      </ul>
      {shown.length > 0 && (
        <details className="border-t border-line py-2.5 text-small">
          <summary className="cursor-pointer font-semibold">
            <Trans>What shows its parts</Trans>
          </summary>
          <dl className="mt-1.5 grid grid-cols-[auto_1fr] gap-x-3 gap-y-1">
            {shown.map((p) => (
              <Fragment key={p.rule}>
                <dt className="text-faded">{partWords[p.rule] ?? p.rule}</dt>
                <dd className="truncate font-mono">{p.passage}</dd>
              </Fragment>
            ))}
          </dl>
        </details>
      )}
      <p className="pt-2 text-small text-faded">
        <Trans>{checked.passed} checks pass.</Trans>{" "}
        {stops === 0
          ? t`Nothing stops it.`
          : stops === 1
            ? t`One stop: it cannot be submitted yet.`
            : t`${stops} stops: it cannot be submitted yet.`}{" "}
        <Trans>
          {checked.words} words, about {checked.tokens} tokens.
        </Trans>
      </p>
    </div>
  );
}
