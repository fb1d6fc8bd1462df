import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { useDesk, useSession } from "../../data/hooks";
import { Choice } from "../../parts/choice";
import { Mine } from "./mine";
import { News } from "./news";
import { WaitingList } from "./waitinglist";

/** What waits for me, what has happened, and what I answer for. */
export function Desk() {
  const reader = useSession().data?.role === "reader";
  const desk = useDesk().data;
  const [view, setView] = useState(reader ? "news" : "waiting");
  const unread = desk?.unread ? ` (${desk.unread})` : "";
  const views = [
    { value: "waiting", name: t`Waiting` },
    { value: "news", name: t`News${unread}` },
    { value: "mine", name: t`Mine` },
  ].filter((v) => !reader || v.value === "news");
  return (
    <>
      <div className="mb-5 flex flex-wrap items-center gap-x-5 gap-y-2">
        <h1 className="text-title">
          <Trans>My desk</Trans>
        </h1>
        {!reader && <Choice label={t`What to show`} value={view} onChange={setView} options={views} />}
      </div>
      {view === "waiting" && <WaitingList />}
      {view === "news" && <News />}
      {view === "mine" && <Mine />}
    </>
  );
}
