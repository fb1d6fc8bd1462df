import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Entry } from "../data/api";
import type { Helped } from "../data/history";
import { dateWords } from "../data/times";
import { stateWords } from "../data/words";

interface Stops {
  versions: Entry[];
  helped?: Helped[]; // models, with some of them
  current?: number;
  picked?: number[];
  pick?: (version: number) => void;
}

/** A version history as a vertical run of numbered stops with author, date and change note; stops can be picked. */
export function DateStack({ versions, helped = [], current, picked, pick }: Stops) {
  return (
    <ol className="relative ms-2 border-s-2 border-gilt">
      {versions.map((v) => (
        <li
          key={v.version}
          className="relative pb-6 ps-5 last:pb-0"
          aria-current={v.version === current ? "true" : undefined}
        >
          <span
            aria-hidden
            className={`absolute top-1 -start-[8px] size-3.5 rounded-full border-2 ${v.state === "superseded" ? "border-gilt bg-paper" : "border-gold bg-gold"}`}
          />
          <p className={picked?.includes(v.version) ? "rounded-field bg-wash" : ""}>
            {pick ? (
              <button
                type="button"
                className="min-h-6 min-w-6 rounded-field border border-line px-1.5 font-bold hover:bg-wash"
                aria-pressed={picked?.includes(v.version)}
                aria-label={t`Version ${v.version}`}
                onClick={() => pick(v.version)}
              >
                {v.version}
              </button>
            ) : (
              <span className="font-bold">{v.version}</span>
            )}{" "}
            {v.state !== "superseded" && (
              <span className="text-small">{stateWords[v.state].replace(/^\W+/, "").toLowerCase()}</span>
            )}
          </p>
          <p className="text-small text-faded">
            {v.author}, {dateWords(v.published_at ?? v.saved_at)}
          </p>
          {v.note && <p className="max-w-prose text-small">{v.note}</p>}
          {helped
            .filter((h) => h.version === v.version)
            .map((h) => (
              <p key={`${h.model} ${h.helper}`} className="max-w-prose text-small text-faded">
                <Trans>
                  {h.model} helped {h.by}, by {h.helper}
                </Trans>
              </p>
            ))}
          {v.unpublished && (
            <p className="max-w-prose text-small text-faded">
              <Trans>Unpublished: {v.unpublished}</Trans>
            </p>
          )}
        </li>
      ))}
    </ol>
  );
}
