import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { timeWords } from "../../data/times";
import { useTrials, type Trend } from "../../data/trials";
import { Empty, Trouble, Waiting } from "../../parts/basics";
import { Changed } from "../../parts/changed";
import { OneOf } from "../../parts/oneof";
import { stateOf } from "../trials/entrytrials";

/** The trials of all entries: which texts got worse as something that they use changed. */
export function TrialsPage() {
  const [change, setChange] = useState<Trend | "">("");
  const trials = useTrials("", change || undefined);
  return (
    <>
      <header className="mb-4 flex flex-wrap items-center gap-4">
        <h1 className="flex-1 text-title max-sm:text-head">
          <Trans>Trials</Trans>
        </h1>
        <label className="flex items-center gap-2 text-small">
          <Trans>What became of it</Trans>
          <OneOf
            className="!w-56"
            value={change}
            set={(c) => setChange(c as Trend | "")}
            none={t`anything`}
            of={[
              { name: "worse", title: t`got worse` },
              { name: "better", title: t`better` },
              { name: "none", title: t`no difference that matters` },
              { name: "too-few", title: t`too few to tell` },
            ]}
          />
        </label>
      </header>
      <Trouble error={trials.error} title={t`The trials cannot be shown`} />
      {!trials.data && !trials.error && <Waiting lines={10} />}
      {trials.data?.items.length === 0 && (
        <Empty title={t`No such trial`}>
          <Trans>
            A trial says what became of an entry when it is run again, or when it tries another entry’s draft.
          </Trans>
        </Empty>
      )}
      <ul className="divide-y divide-line border-y border-line" aria-label={t`Trials`}>
        {trials.data?.items.map((t) => (
          <li key={t.id}>
            <Link
              to="/trials/$id"
              params={{ id: t.id }}
              className="flex flex-wrap items-center gap-x-4 px-1 py-2.5 hover:bg-wash"
            >
              <span className="min-w-0 flex-1">
                <span className="font-semibold">{t.slug}</span> · {t.title}
                <span className="block text-small text-faded">
                  {timeWords(t.at)} · {t.by} · {stateOf(t)}
                </span>
              </span>
              {t.change && <Changed change={t.change} />}
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}
