import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Plus, X } from "lucide-react";
import type { NewEntry } from "../../data/api";
import { useShelfEntry } from "../../data/hooks";
import { layoutOf, takesOf, type Step } from "../../data/runs";
import { useModels } from "../../data/talks";
import { Button, Field, fieldLook } from "../../parts/basics";
import { EntryField } from "../../parts/entryfield";
import { Flow } from "../../parts/flow";
import { OneOf } from "../../parts/oneof";

/** The steps of a relay, with what flows where drawn beside them. */
export function Steps({ draft, change }: { draft: NewEntry; change: (draft: NewEntry) => void }) {
  const steps = draft.steps ?? [];
  const set = (all: Step[]) => change({ ...draft, steps: all });
  return (
    <section aria-labelledby="steps" className="rounded-card border border-line bg-leaf px-4 py-3">
      <h2 id="steps" className="mb-1 text-lead">
        <Trans>Steps</Trans>
      </h2>
      <p className="mb-3 text-small text-faded">
        <Trans>
          A step runs once the steps are done whose replies it takes. Steps that do not need each other run
          together.
        </Trans>
      </p>
      <div className="grid items-start gap-5 sm:grid-cols-[1fr_260px]">
        <ol className="flex min-w-0 flex-col gap-4">
          {steps.map((s, i) => (
            <li key={i}>
              <StepFields
                step={s}
                at={i}
                others={steps.filter((o) => o !== s && !takesFrom(steps, o, s.name))}
                set={(now) => set(renamed(steps, i, now))}
                drop={() => set(steps.filter((_, n) => n !== i))}
              />
            </li>
          ))}
        </ol>
        {steps.length > 0 && <Flow steps={layoutOf(steps)} width={260} />}
      </div>
      <Button className="mt-3" onClick={() => set([...steps, { name: freeName(steps), use: "" }])}>
        <Plus size={16} aria-hidden /> <Trans>Add a step</Trans>
      </Button>
    </section>
  );
}

/** A step that is called otherwise is so for those that take its reply, too. */
function renamed(steps: Step[], at: number, now: Step): Step[] {
  const was = steps[at]?.name ?? "";
  return steps.map((s, i) => {
    if (i === at) return now;
    if (was === now.name || !was || !now.name || !takesOf(s).includes(was)) return s;
    const given = Object.entries(s.with ?? {}).map(([name, text]) => [
      name,
      text.replaceAll(new RegExp(`\\{\\{\\s*from\\s+${was}\\s*\\}\\}`, "g"), `{{from ${now.name}}}`),
    ]);
    return {
      ...s,
      with: s.with && (Object.fromEntries(given) as Step["with"]),
      over: s.over && { ...s.over, step: s.over.step === was ? now.name : s.over.step },
    };
  });
}

/** Whether a step takes a reply of another, or of one that does: then that one cannot take its. */
function takesFrom(steps: Step[], step: Step, name: string, seen: string[] = []): boolean {
  return takesOf(step).some((t) => {
    const taken = steps.find((s) => s.name === t);
    return t === name || (taken && !seen.includes(t) && takesFrom(steps, taken, name, [...seen, t]));
  });
}

function freeName(steps: Step[]): string {
  let n = steps.length + 1;
  while (steps.some((s) => s.name === `step${n}`)) n++;
  return `step${n}`;
}

function StepFields(props: {
  step: Step;
  at: number;
  others: Step[];
  set: (s: Step) => void;
  drop: () => void;
}) {
  const { step, at, others, set, drop } = props;
  const models = useModels().data?.items ?? [];
  const slug = step.use.split("@")[0] ?? "";
  const used = useShelfEntry(slug, false, slug !== "").data;
  const asks = (used?.asks ?? []).filter((b) => !(step.over && b.name.startsWith("section_")));
  const more = Object.keys(step.with ?? {}).filter((name) => !asks.some((b) => b.name === name));
  const give = (name: string, text: string) => {
    const all = { ...step.with, [name]: text };
    if (!text) delete all[name];
    set({ ...step, with: Object.keys(all).length > 0 ? all : undefined });
  };
  const id = (what: string) => `step-${at}-${what}`;
  return (
    <fieldset className="min-w-0 rounded-card border border-line px-3 py-3">
      <legend className="px-1 text-small font-semibold">
        <Trans>Step {step.name}</Trans>
      </legend>
      <div className="grid gap-3 sm:grid-cols-2">
        <Field id={id("name")} label={t`Name`}>
          <input
            id={id("name")}
            className={fieldLook}
            value={step.name}
            onChange={(e) => set({ ...step, name: e.target.value })}
          />
        </Field>
        <Field id={id("use")} label={t`Prompt that it uses`}>
          <EntryField
            id={id("use")}
            kind="prompt"
            value={slug}
            title={used?.title ?? step.use}
            set={(use) => set({ ...step, use })}
          />
        </Field>
      </div>
      {[
        ...asks.map((b) => ({ name: b.name, ask: b.ask ?? b.name })),
        ...more.map((n) => ({ name: n, ask: t`${n}, which the prompt does not ask for` })),
      ].map((b) => (
        <div key={b.name} className="mt-3">
          <Field id={id(`with-${b.name}`)} label={b.ask}>
            <textarea
              id={id(`with-${b.name}`)}
              rows={Math.max(1, (step.with?.[b.name] ?? "").split("\n").length)}
              className={`${fieldLook} font-mono`}
              placeholder={`{{${b.name}}}`}
              value={step.with?.[b.name] ?? ""}
              onChange={(e) => give(b.name, e.target.value)}
            />
          </Field>
          <p className="mt-1 flex flex-wrap gap-x-3 text-small">
            {!step.with?.[b.name] && (
              <Button weight="text" onClick={() => give(b.name, `{{${b.name}}}`)}>
                <Trans>asked of whoever runs it</Trans>
              </Button>
            )}
            {others
              .filter((o) => o.name && !(step.with?.[b.name] ?? "").includes(`{{from ${o.name}}}`))
              .map((o) => (
                <Button
                  key={o.name}
                  weight="text"
                  onClick={() => give(b.name, `${step.with?.[b.name] ?? ""}{{from ${o.name}}}`)}
                >
                  <Trans>the reply of {o.name}</Trans>
                </Button>
              ))}
          </p>
        </div>
      ))}
      <div className="mt-3 grid gap-3 sm:grid-cols-2">
        <Field id={id("over")} label={t`Goes over the sections of`}>
          <OneOf
            id={id("over")}
            value={step.over?.step ?? ""}
            none={t`nothing: it runs once`}
            of={others.filter((o) => o.name).map((o) => ({ name: o.name, title: o.name }))}
            set={(name) =>
              set({
                ...step,
                over: name ? { step: name, sections: step.over?.sections ?? "all" } : undefined,
              })
            }
          />
        </Field>
        {step.over && (
          <Field id={id("sections")} label={t`Which: all, first, last, or a heading`}>
            <input
              id={id("sections")}
              className={fieldLook}
              value={step.over.sections}
              onChange={(e) =>
                set({ ...step, over: { step: step.over?.step ?? "", sections: e.target.value } })
              }
            />
          </Field>
        )}
      </div>
      <details className="mt-3">
        <summary className="w-fit cursor-pointer text-small font-semibold">
          <Trans>Model and settings</Trans>
          {step.model && `: ${step.model}`}
        </summary>
        <div className="mt-2 grid gap-3 sm:grid-cols-2">
          <Field id={id("model")} label={t`Model`}>
            <OneOf
              id={id("model")}
              value={step.model ?? ""}
              none={t`whichever is chosen for the run`}
              of={models.map((m) => ({ name: m.name, title: m.title }))}
              set={(model) => set({ ...step, model: model || undefined })}
            />
          </Field>
          {(
            [
              ["temperature", t`Temperature, 0 to 2`],
              ["max_tokens", t`Tokens of the reply at most`],
              ["within", t`Seconds to wait for it at most`],
            ] as const
          ).map(([what, label]) => (
            <Field key={what} id={id(what)} label={label}>
              <input
                id={id(what)}
                type="number"
                min={0}
                step={what === "temperature" ? 0.1 : 1}
                className={fieldLook}
                value={step[what] ?? ""}
                onChange={(e) =>
                  set({ ...step, [what]: e.target.value === "" ? undefined : Number(e.target.value) })
                }
              />
            </Field>
          ))}
        </div>
      </details>
      <p className="mt-2">
        <Button weight="text" className="text-small" onClick={drop}>
          <X size={14} aria-hidden /> <Trans>Take step {step.name} out</Trans>
        </Button>
      </p>
    </fieldset>
  );
}
