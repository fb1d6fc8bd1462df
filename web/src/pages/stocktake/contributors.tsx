import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import {
  tableOf,
  useContributors,
  useThank,
  weeksOf,
  type Contributor,
  type Wanted,
} from "../../data/stocktake";
import { useSession } from "../../data/hooks";
import { toast } from "sonner";
import { Button, Trouble, Waiting } from "../../parts/basics";
import { Card } from "./card";
import { Bars } from "./drawings";
import { Choose, Of } from "./period";

/** Whose entries others use. */
export function ContributorsPage() {
  const [weeks, setWeeks] = useState(13);
  const wanted = weeksOf(weeks);
  const all = useContributors(wanted);
  const items = all.data?.items ?? [];
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Contributors</Trans>
          </h1>
          {all.data && <Of period={all.data.period} />}
        </div>
        <Choose weeks={weeks} setWeeks={setWeeks} />
      </header>
      <Trouble error={all.error} title={t`The figures cannot be shown`} />
      {!all.data && <Waiting lines={10} />}
      {all.data && (
        <Card
          title={t`People who used what is theirs`}
          says={t`counted anew each week, without themselves; dashed: as many weeks before`}
          table={tableOf("contributors", wanted)}
          name="contributors"
          drawn
        >
          <Bars
            rows={items.slice(0, 20).map((c) => ({ name: c.full_name, value: c.people, before: c.before }))}
            second={t`Before`}
            says={items.map((c) => t`${c.full_name}: ${c.people}, before ${c.before}`).join("; ")}
          />
          <Thanks items={items} wanted={wanted} />
        </Card>
      )}
    </>
  );
}

/** Those whose entries others use, each with a button that tells them so. */
function Thanks({ items, wanted }: { items: Contributor[]; wanted: Wanted }) {
  const thank = useThank(wanted);
  const me = useSession().data?.name;
  return (
    <>
      <Trouble error={thank.error} title={t`Nobody was thanked`} />
      <ul aria-label={t`Say thanks`} className="divide-y divide-line border-t border-line print:hidden">
        {items
          .filter((c) => c.name !== me)
          .map((c) => (
            <li key={c.name} className="flex flex-wrap items-center gap-x-4 px-4 py-1.5">
              <span className="min-w-40 flex-1">{c.full_name}</span>
              {c.thanked ? (
                <span className="text-small text-faded">
                  <Trans>✓ Thanked for these weeks</Trans>
                </span>
              ) : (
                <Button
                  weight="text"
                  disabled={thank.isPending}
                  onClick={() =>
                    thank.mutate(c.name, {
                      onSuccess: () => toast.success(t`${c.full_name} hears it, with your name`),
                    })
                  }
                >
                  <Trans>Say thanks</Trans>
                  <span className="sr-only">: {c.full_name}</span>
                </Button>
              )}
            </li>
          ))}
      </ul>
    </>
  );
}
