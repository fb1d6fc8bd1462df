import { decimals, whole } from "../../languages/figures";
import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { useModels } from "../../data/talks";
import { useEstimateUsers, useStartUserTrials, useUserTrials, type UserTrials } from "../../data/trials";
import { Button, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Changed } from "../../parts/changed";
import { Left } from "../../parts/left";
import { OneOf } from "../../parts/oneof";
import { stateOf } from "./entrytrials";

/** All that uses an entry, tried as it is and with its open version: one button, before that is published. */
export function UsersTried({ slug }: { slug: string }) {
  const users = useUserTrials(slug);
  if (users.error) return <Trouble error={users.error} title={t`What uses it cannot be shown`} />;
  if (!users.data) return <Waiting lines={4} />;
  if (users.data.items.length === 0)
    return (
      <p className="text-faded">
        <Trans>No published entry follows it.</Trans>
      </p>
    );
  return (
    <>
      <Users users={users.data} />
      {users.data.of.version > 0 && users.data.items.some((u) => !u.why) && <TryAll slug={slug} />}
    </>
  );
}

function Users({ users }: { users: UserTrials }) {
  return (
    <ul className="mb-3 divide-y divide-line" aria-label={t`What uses it`}>
      {users.items.map((u) => (
        <li key={u.slug} className="flex flex-wrap items-center gap-x-4 gap-y-0.5 py-1.5">
          <Link
            to="/entries/$slug/trials"
            params={{ slug: u.slug }}
            className="min-w-0 flex-1 font-semibold hover:underline"
          >
            {u.title}
          </Link>
          {u.why && <span className="text-small text-faded">{u.why}</span>}
          {u.trial && (
            <Link to="/trials/$id" params={{ id: u.trial.id }} className="hover:underline">
              {u.trial.change ? (
                <Changed change={u.trial.change} />
              ) : (
                <span className="text-small text-faded">{stateOf(u.trial)}</span>
              )}
            </Link>
          )}
        </li>
      ))}
    </ul>
  );
}

function TryAll({ slug }: { slug: string }) {
  const models = useModels().data?.items ?? [];
  const [chosen, setModel] = useState("");
  const [times, setTimes] = useState(3);
  const model = chosen || models[0]?.name || "";
  const body = { model, times };
  const estimate = useEstimateUsers(slug, body, model !== "" && times > 0);
  const start = useStartUserTrials(slug);
  if (models.length === 0) return null;
  return (
    <div className="flex flex-col gap-3">
      <div className="flex flex-wrap items-end gap-3">
        <label className="flex flex-col text-small">
          <Trans>Model</Trans>
          <OneOf
            className="!w-40"
            value={model}
            none={model}
            required
            of={models.map((m) => ({ name: m.name, title: m.title }))}
            set={setModel}
          />
        </label>
        <Field id="user-times" label={t`Times each`}>
          <input
            id="user-times"
            type="number"
            min={1}
            max={100}
            className={`${fieldLook} !w-20`}
            value={times}
            onChange={(e) => setTimes(Number(e.target.value))}
          />
        </Field>
        <Button disabled={start.isPending || !!estimate.error} onClick={() => start.mutate(body)}>
          <Trans>Try all with this version</Trans>
        </Button>
      </div>
      <Left />
      <Trouble error={start.error ?? estimate.error} title={t`They cannot be tried`} />
      {estimate.data && !estimate.error && (
        <p role="status" className="text-small text-faded">
          <Trans>
            {plural(estimate.data.trials, { one: "One trial", other: "# trials" })},{" "}
            {whole(estimate.data.replies)} replies, each entry as it is and with this version
          </Trans>
          {estimate.data.cost !== undefined &&
            t`: some ${decimals(estimate.data.cost, 2)} ${estimate.data.currency}`}
          .
        </p>
      )}
    </div>
  );
}
