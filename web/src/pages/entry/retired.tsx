import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { toast } from "sonner";
import type { Entry } from "../../data/api";
import { useStep } from "../../data/hooks";
import { dateWords } from "../../data/times";
import { kindWords } from "../../data/words";
import { Button, sentence } from "../../parts/basics";
import { WrittenText } from "../../parts/text";
import { Head } from "./head";
import { History } from "./history";

/** A retired entry still answers: it says why, and leads on. */
export function Retired({ entry }: { entry: Entry }) {
  const restore = useStep(entry.slug);
  const r = entry.retired;
  if (!r) return null;
  return (
    <>
      <Head entry={entry} />
      <div className="mb-5 flex flex-wrap items-center gap-x-4 gap-y-2 rounded-card border border-line bg-wash px-5 py-4">
        <div className="min-w-0 flex-1">
          <p>
            <Trans>
              <b>Retired on {dateWords(r.at)}</b> by {r.by}. {sentence(r.because)}
            </Trans>
          </p>
          {r.instead && (
            <p className="mt-1">
              <Trans>
                Use{" "}
                <Link
                  to="/entries/$slug"
                  params={{ slug: r.instead }}
                  className="font-semibold text-gold underline"
                >
                  {r.instead}
                </Link>{" "}
                instead.
              </Trans>
            </p>
          )}
        </div>
        {entry.actions.includes("restore") && (
          <Button
            disabled={restore.isPending}
            onClick={() =>
              restore.mutate({ step: "restore" }, { onSuccess: () => toast.success(t`Back on the shelf`) })
            }
          >
            <Trans>Restore</Trans>
          </Button>
        )}
      </div>
      <div
        className="rounded-card border border-line bg-leaf p-5"
        aria-label={t`${kindWords[entry.kind].name}, as it was`}
        role="region"
      >
        <WrittenText body={entry.body} />
      </div>
      <History slug={entry.slug} />
    </>
  );
}
