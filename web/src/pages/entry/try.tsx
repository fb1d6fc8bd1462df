import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Entry, Values } from "../../data/api";
import { useModels, useTry, type TryColumn } from "../../data/talks";
import { Button, Trouble } from "../../parts/basics";
import { OneOf } from "../../parts/oneof";
import { Left } from "../../parts/left";
import { TalkView } from "../../parts/talkview";
import type { StackChoice } from "./stack";

/** Asks a model with the text as it is filled in, or two side by side. */
export function TryIt(props: {
  entry: Entry;
  name: string;
  values: Values;
  stack: StackChoice;
  application: string;
}) {
  const { entry, stack } = props;
  const models = useModels().data?.items ?? [];
  const [chosen, setModel] = useState("");
  const [beside, setBeside] = useState("");
  const ask = useTry();
  const model = chosen || models[0]?.name || "";
  if (models.length === 0) return null;
  const others = [
    ...((stack.persona ?? entry.persona ?? "none") !== "none"
      ? [{ name: "persona", title: t`without the persona` }]
      : []),
    ...((stack.style ?? entry.style ?? "none") !== "none"
      ? [{ name: "style", title: t`without the style` }]
      : []),
    { name: "again", title: t`the same once more` },
    ...models
      .filter((m) => m.name !== model)
      .map((m) => ({ name: `model:${m.name}`, title: t`the same from ${m.title}` })),
  ];
  const columns: TryColumn[] = [{ model }];
  if (beside === "persona") columns.push({ model, persona: "none" });
  else if (beside === "style") columns.push({ model, style: "none" });
  else if (beside === "again") columns.push({ model });
  else if (beside.startsWith("model:")) columns.push({ model: beside.slice("model:".length) });
  return (
    <section aria-labelledby="try-it" className="mt-8 print:hidden">
      <h2 id="try-it" className="mb-3 text-head">
        <Trans>Try it</Trans>
      </h2>
      <div className="mb-4 flex flex-wrap items-center gap-x-3 gap-y-2">
        <label htmlFor="try-model" className="text-small font-semibold">
          <Trans>Ask</Trans>
        </label>
        <OneOf
          id="try-model"
          className="!w-40"
          value={chosen}
          none={models[0]?.title ?? ""}
          of={models
            .slice(1)
            .map((m) => ({ name: m.name, title: m.on_trial ? t`${m.title} (on trial)` : m.title }))}
          set={setModel}
        />
        <label htmlFor="try-beside" className="text-small font-semibold">
          <Trans>and beside it</Trans>
        </label>
        <OneOf id="try-beside" className="!w-56" value={beside} none="nothing" of={others} set={setBeside} />
        <Button
          weight="main"
          disabled={ask.isPending}
          onClick={() =>
            ask.mutate({
              ref: props.name,
              values: props.values,
              ...stack,
              for: props.application || undefined,
              columns,
            })
          }
        >
          {ask.data ? t`Ask again` : t`Ask`}
        </Button>
        <span className="ms-auto flex gap-4 text-small font-semibold text-gold">
          <Link to="/entries/$slug/trials" params={{ slug: entry.slug }} className="hover:underline">
            <Trans>Trials</Trans>
          </Link>
          <Link to="/talks" className="hover:underline">
            <Trans>Your talks</Trans>
          </Link>
        </span>
      </div>
      <Left />
      <Trouble error={ask.error} title={t`Nothing was asked`} />
      {ask.data && <TalkView key={ask.data.id} id={ask.data.id} />}
    </section>
  );
}
