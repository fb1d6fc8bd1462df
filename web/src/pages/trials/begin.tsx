import { decimals, whole } from "../../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useModels } from "../../data/talks";
import { useSettled } from "../../data/settled";
import { useEstimate, useStartTrial, type NewTrial, type SetUp, type TestBed } from "../../data/trials";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { EntryField } from "../../parts/entryfield";
import { Left } from "../../parts/left";
import { OneOf } from "../../parts/oneof";

const usual = [
  { name: "", title: t`the usual` },
  { name: "none", title: t`none` },
];

/** What a trial is to ask, what that would take, and the button. */
export function Begin({
  slug,
  bed,
  open,
  shelf,
  relay,
}: {
  slug: string;
  bed: TestBed;
  open: boolean;
  shelf: boolean;
  relay: boolean;
}) {
  const models = useModels().data?.items ?? [];
  const first = models[0]?.name ?? "";
  const version = shelf ? "shelf" : "open";
  const [chosen, setSetUps] = useState<SetUp[] | null>(null);
  const setUps = chosen ?? [{ model: first, version }];
  const [times, setTimes] = useState(3);
  const [title, setTitle] = useState("");
  const begin = useStartTrial(slug);
  const navigate = useNavigate();
  const body: NewTrial = { title: title.trim() || undefined, set_ups: setUps, times };
  const asked = useSettled(JSON.stringify(body));
  const ready = bed.fills.length > 0 && first !== "";
  const estimate = useEstimate(slug, JSON.parse(asked) as NewTrial, ready);
  if (models.length === 0) return null;
  const set = (i: number, s: SetUp) => setSetUps(setUps.map((x, k) => (k === i ? s : x)));
  const start = (now: NewTrial) =>
    begin.mutate(now, {
      onSuccess: (t) => void navigate({ to: "/trials/$id", params: { id: t.id } }),
    });
  return (
    <section aria-labelledby="begin">
      <h2 id="begin" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Begin a trial</Trans>
      </h2>
      {!ready && (
        <p className="text-faded">
          <Trans>Give the test bed at least one fill first, and save it.</Trans>
        </p>
      )}
      {ready && (
        <div className="flex flex-col gap-4">
          {open && shelf && (
            <div className="flex flex-wrap items-center gap-3">
              <Button
                disabled={begin.isPending}
                onClick={() =>
                  start({
                    title: t`Is it better than what is on the shelf?`,
                    times,
                    set_ups: [
                      { model: setUps[0]!.model, version: "open" },
                      { model: setUps[0]!.model, version: "shelf" },
                    ],
                  })
                }
              >
                <Trans>Is it better?</Trans>
              </Button>
              <span className="text-small text-faded">
                <Trans>
                  The open version beside the one on the shelf, with {setUps[0]!.model}, {times} times each.
                </Trans>
              </span>
            </div>
          )}
          <ul className="flex flex-col gap-2">
            {setUps.map((s, i) => (
              <li key={i} className="flex flex-wrap items-center gap-2">
                <span className="min-w-20 text-small text-faded">
                  <Trans>Set-up {i + 1}</Trans>
                </span>
                <OneOf
                  className="!w-40"
                  value={s.model}
                  none={s.model}
                  required
                  of={models.map((m) => ({ name: m.name, title: m.title }))}
                  set={(model) => set(i, { ...s, model: model || s.model })}
                />
                <select
                  aria-label={t`Version of set-up ${i + 1}`}
                  className={`${fieldLook} !w-44`}
                  value={s.version}
                  onChange={(e) => set(i, { ...s, version: e.target.value })}
                >
                  {shelf && (
                    <option value="shelf">
                      <Trans>on the shelf</Trans>
                    </option>
                  )}
                  {open && (
                    <option value="open">
                      <Trans>as it is written</Trans>
                    </option>
                  )}
                </select>
                {!relay && (
                  <>
                    <span className="w-44">
                      <EntryField
                        label={t`Persona of set-up ${i + 1}`}
                        kind="persona"
                        first={usual.map((o) => ({ ...o, title: `Persona: ${o.title}` }))}
                        value={s.persona ?? ""}
                        set={(persona) => set(i, { ...s, persona: persona || undefined })}
                      />
                    </span>
                    <span className="w-44">
                      <EntryField
                        label={t`Style of set-up ${i + 1}`}
                        kind="style"
                        first={usual.map((o) => ({ ...o, title: `Style: ${o.title}` }))}
                        value={s.style ?? ""}
                        set={(style) => set(i, { ...s, style: style || undefined })}
                      />
                    </span>
                  </>
                )}
                {setUps.length > 1 && (
                  <Button weight="text" onClick={() => setSetUps(setUps.filter((_, k) => k !== i))}>
                    <Trans>Take out</Trans>
                  </Button>
                )}
              </li>
            ))}
          </ul>
          {setUps.length < 8 && (
            <Button
              className="self-start"
              onClick={() =>
                setSetUps([
                  ...setUps,
                  {
                    ...setUps.at(-1)!,
                    model: models.find((m) => setUps.every((s) => s.model !== m.name))?.name ?? first,
                  },
                ])
              }
            >
              <Trans>Add a set-up</Trans>
            </Button>
          )}
          <div className="flex flex-wrap items-end gap-4">
            <Field id="times" label={t`Times each`}>
              <input
                id="times"
                type="number"
                min={1}
                max={100}
                className={`${fieldLook} !w-24`}
                value={times}
                onChange={(e) => setTimes(Number(e.target.value))}
              />
            </Field>
            <Field id="trial-title" label={t`Title (if any)`}>
              <input
                id="trial-title"
                className={`${fieldLook} !w-80 max-w-full`}
                value={title}
                onChange={(e) => setTitle(e.target.value)}
              />
            </Field>
            <Button weight="main" disabled={begin.isPending || !!estimate.error} onClick={() => start(body)}>
              <Trans>Begin</Trans>
            </Button>
          </div>
          <Left />
          <Trouble error={begin.error ?? estimate.error} title={t`The trial cannot begin`} />
          {estimate.data && !estimate.error && (
            <p role="status" className="text-small text-faded">
              <Trans>{whole(estimate.data.replies)} replies</Trans>
              {estimate.data.judged > 0 && t` and ${estimate.data.judged} verdicts of prompts`}
              <Trans>
                : about {whole(estimate.data.tokens_in)} tokens in and {whole(estimate.data.tokens_out)} out
              </Trans>
              {estimate.data.cost !== undefined &&
                t`, some ${decimals(estimate.data.cost, 2)} ${estimate.data.currency}`}
              .
            </p>
          )}
        </div>
      )}
    </section>
  );
}
