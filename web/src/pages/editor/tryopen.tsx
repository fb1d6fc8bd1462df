import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Values } from "../../data/api";
import { useModels, useTry } from "../../data/talks";
import { Button, Trouble } from "../../parts/basics";
import { Left } from "../../parts/left";
import { OneOf } from "../../parts/oneof";
import { TalkView } from "../../parts/talkview";

/** Asks a model with the draft as it is, its samples filled in; beside it, what is on the shelf. */
export function TryOpen({
  slug,
  values,
  published,
  flush,
  begun,
}: {
  slug: string;
  values: Values;
  published: boolean;
  flush: () => Promise<boolean>;
  begun: () => boolean;
}) {
  const models = useModels().data?.items ?? [];
  const [chosen, setModel] = useState("");
  const [beside, setBeside] = useState(published);
  const ask = useTry();
  const model = chosen || models[0]?.name || "";
  if (!model)
    return (
      <p className="text-faded">
        <Trans>No model can be asked yet: a curator makes a connection.</Trans>
      </p>
    );
  const start = async () => {
    if (!(await flush())) return;
    const open = begun(); // else the draft is what is on the shelf
    ask.mutate({
      ref: slug,
      open,
      values,
      columns: open && beside && published ? [{ model }, { model, shelved: true }] : [{ model }],
    });
  };
  return (
    <div className="flex flex-col gap-3">
      <p className="text-small text-faded">
        <Trans>The draft as it is, with the samples of its blanks.</Trans>
      </p>
      <div className="flex flex-wrap items-center gap-2">
        <OneOf
          className="!w-40"
          value={chosen}
          none={models[0]?.title ?? ""}
          of={models.slice(1).map((m) => ({ name: m.name, title: m.title }))}
          set={setModel}
        />
        <Button weight="main" disabled={ask.isPending} onClick={() => void start()}>
          {ask.data ? t`Ask again` : t`Ask`}
        </Button>
      </div>
      {published && (
        <label className="flex items-center gap-2 text-small">
          <input
            type="checkbox"
            className="size-4 accent-gold"
            checked={beside}
            onChange={(e) => setBeside(e.target.checked)}
          />
          <Trans>Beside the version on the shelf</Trans>
        </label>
      )}
      <Left />
      <Trouble error={ask.error} title={t`Nothing was asked`} />
      {ask.data && <TalkView key={ask.data.id} id={ask.data.id} narrow />}
      <Link
        to="/entries/$slug/trials"
        params={{ slug }}
        className="text-small font-semibold text-gold hover:underline"
      >
        <Trans>Trials: many replies, counted</Trans>
      </Link>
    </div>
  );
}
