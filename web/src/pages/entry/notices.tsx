import { plural } from "@lingui/core/macro";
import { listWords } from "../../languages/figures";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import type { Entry } from "../../data/api";

/** Says that an entry is for an application or a model that is gone. */
export function GoneLabels({ entry }: { entry: Entry }) {
  if (!entry.gone) return null;
  return (
    <p role="status" className="mb-5 rounded-field bg-wash px-3 py-2">
      {plural(entry.gone.length, {
        one: `It is for ${listWords(entry.gone)}, which is gone. Whoever looks after it is told.`,
        other: `It is for ${listWords(entry.gone)}, which are gone. Whoever looks after it is told.`,
      })}
    </p>
  );
}

/** Says of a sheet which question set it answers, and that the set has gone on since. */
export function SetMoved({ entry }: { entry: Entry }) {
  if (!entry.set) return null;
  const name = entry.set.split("@")[0] ?? entry.set;
  return (
    <p role="status" className="mb-5 rounded-field bg-wash px-3 py-2 empty:hidden">
      {entry.set_newest && (
        <>
          <Trans>
            It answers {entry.set}, and the questions have gone on to {name}@{entry.set_newest}.
          </Trans>{" "}
          {entry.actions.includes("begin") && (
            <Link
              to="/entries/$slug/edit"
              params={{ slug: entry.slug }}
              className="font-semibold text-gold hover:underline"
            >
              <Trans>Answer the new ones</Trans>
            </Link>
          )}
        </>
      )}
    </p>
  );
}
