import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { tableOf, useContributors, weeksOf } from "../../data/stocktake";
import { Trouble, Waiting } from "../../parts/basics";
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
        </Card>
      )}
    </>
  );
}
