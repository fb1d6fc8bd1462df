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
  { name: "", title: "the usual" },
  { name: "none", title: "none" },
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
        Begin a trial
      </h2>
      {!ready && <p className="text-faded">Give the test bed at least one fill first, and save it.</p>}
      {ready && (
        <div className="flex flex-col gap-4">
          {open && shelf && (
            <div className="flex flex-wrap items-center gap-3">
              <Button
                disabled={begin.isPending}
                onClick={() =>
                  start({
                    title: "Is it better than what is on the shelf?",
                    times,
                    set_ups: [
                      { model: setUps[0]!.model, version: "open" },
                      { model: setUps[0]!.model, version: "shelf" },
                    ],
                  })
                }
              >
                Is it better?
              </Button>
              <span className="text-small text-faded">
                The open version beside the one on the shelf, with {setUps[0]!.model}, {times} times each.
              </span>
            </div>
          )}
          <ul className="flex flex-col gap-2">
            {setUps.map((s, i) => (
              <li key={i} className="flex flex-wrap items-center gap-2">
                <span className="w-20 text-small text-faded">Set-up {i + 1}</span>
                <OneOf
                  className="!w-40"
                  value={s.model}
                  none={s.model}
                  required
                  of={models.map((m) => ({ name: m.name, title: m.title }))}
                  set={(model) => set(i, { ...s, model: model || s.model })}
                />
                <select
                  aria-label={`Version of set-up ${i + 1}`}
                  className={`${fieldLook} !w-44`}
                  value={s.version}
                  onChange={(e) => set(i, { ...s, version: e.target.value })}
                >
                  {shelf && <option value="shelf">on the shelf</option>}
                  {open && <option value="open">as it is written</option>}
                </select>
                {!relay && (
                  <>
                    <span className="w-44">
                      <EntryField
                        label={`Persona of set-up ${i + 1}`}
                        kind="persona"
                        first={usual.map((o) => ({ ...o, title: `Persona: ${o.title}` }))}
                        value={s.persona ?? ""}
                        set={(persona) => set(i, { ...s, persona: persona || undefined })}
                      />
                    </span>
                    <span className="w-44">
                      <EntryField
                        label={`Style of set-up ${i + 1}`}
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
                    Take out
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
              Add a set-up
            </Button>
          )}
          <div className="flex flex-wrap items-end gap-4">
            <Field id="times" label="Times each">
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
            <Field id="trial-title" label="Title (if any)">
              <input
                id="trial-title"
                className={`${fieldLook} !w-80 max-w-full`}
                value={title}
                onChange={(e) => setTitle(e.target.value)}
              />
            </Field>
            <Button weight="main" disabled={begin.isPending || !!estimate.error} onClick={() => start(body)}>
              Begin
            </Button>
          </div>
          <Left />
          <Trouble error={begin.error ?? estimate.error} title="The trial cannot begin" />
          {estimate.data && !estimate.error && (
            <p role="status" className="text-small text-faded">
              {estimate.data.replies.toLocaleString("en")} replies
              {estimate.data.judged > 0 && ` and ${estimate.data.judged} verdicts of prompts`}: about{" "}
              {estimate.data.tokens_in.toLocaleString("en")} tokens in and{" "}
              {estimate.data.tokens_out.toLocaleString("en")} out
              {estimate.data.cost !== undefined &&
                `, some ${estimate.data.cost.toFixed(2)} ${estimate.data.currency}`}
              .
            </p>
          )}
        </div>
      )}
    </section>
  );
}
