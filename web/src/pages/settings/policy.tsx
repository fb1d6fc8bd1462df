import { severityWords } from "../../data/words";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Facet, Policy, Rule } from "../../data/api";
import { useBegun } from "../../data/begun";
import { useLabels, usePolicy, useRules, useSetPolicy } from "../../data/hooks";
import { dateWords } from "../../data/times";
import { Button, ChangedSince, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { ReviewingPart } from "./reviewpolicy";

type Setting = NonNullable<Policy["rules"]>[string];
type Severity = Setting["severity"];
type Changing = { policy: Policy; change: (p: Policy) => void };

const severities: Severity[] = ["off", "note", "warning", "stop"];

/** What the curators have decided about checks: which count, how much, and where they stop an entry. */
export function PolicyPage() {
  const read = usePolicy();
  const rules = useRules().data;
  const facets = useLabels().data;
  if (read.error) return <Trouble error={read.error} title={t`The policy cannot be shown`} />;
  if (!read.data || !rules || !facets) return <Waiting lines={12} />;
  return <Form read={read.data} rules={rules} facets={facets} />;
}

interface Read {
  data: Policy & { number: number; set_by?: string; set_at?: string };
  etag: string;
}

/** What a curator chooses of it: all but when it came to be in force. */
function rulesOf({ data }: Read): Policy {
  const { number, set_by, set_at, ...rules } = data;
  return rules;
}

function Form({ read, rules, facets }: { read: Read; rules: Rule[]; facets: Facet[] }) {
  const { begun, begin, moved } = useBegun(read);
  const { number, set_by, set_at } = begun.data;
  const inForce = rulesOf(begun);
  const [policy, change] = useState<Policy>(inForce);
  const start = (from: Read) => {
    begin(from);
    change(rulesOf(from));
  };
  const set = useSetPolicy();
  const changed = JSON.stringify(policy) !== JSON.stringify(inForce);
  const save = () =>
    set.mutate(
      { etag: begun.etag, policy },
      {
        onSuccess: (now) => {
          start(now);
          toast.success(t`The policy is in force`);
        },
      },
    );
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        save();
      }}
    >
      <header className="sticky top-0 z-[5] mb-5 flex flex-wrap items-center gap-4 bg-paper py-3">
        <div className="min-w-60 flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Policy</Trans>
          </h1>
          <p className="text-faded">
            <Trans>Who approves what, what the checks look for, and what they stop.</Trans>{" "}
            {number > 0
              ? t`Policy ${number}, set by ${set_by ?? ""} on ${dateWords(set_at)}.`
              : t`Every rule is as it comes.`}
          </p>
        </div>
        <Button onClick={() => change(inForce)} disabled={!changed}>
          <Trans>Undo changes</Trans>
        </Button>
        <Button type="submit" weight="main" disabled={!changed || set.isPending}>
          <Trans>Save policy</Trans>
        </Button>
      </header>
      <Trouble error={set.error} title={t`The policy was not set; what you chose is still here`} />
      <ChangedSince
        moved={moved}
        begin={() => {
          start(read);
          set.reset();
        }}
      />
      <div className="grid items-start gap-7 wide:grid-cols-[1fr_300px]">
        <div className="min-w-0">
          <ReviewingPart facets={facets} policy={policy} change={change} />
          <h2 className="mb-3 border-b-2 border-gilt pb-1 text-lead">
            <Trans>Checks</Trans>
          </h2>
          <Rules rules={rules} policy={policy} change={change} />
        </div>
        <div className="flex flex-col gap-6 wide:order-last">
          <House facets={facets} policy={policy} change={change} />
          <Models models={facets.find((f) => f.name === "model")} policy={policy} change={change} />
        </div>
      </div>
    </form>
  );
}

function Rules({ rules, policy, change }: Changing & { rules: Rule[] }) {
  const settle = (rule: Rule, s: Setting) => {
    const others = Object.fromEntries(Object.entries(policy.rules ?? {}).filter(([id]) => id !== rule.id));
    const asItComes = s.severity === rule.severity && !s.stops?.length;
    change({ ...policy, rules: asItComes ? others : { ...others, [rule.id]: s } });
  };
  return (
    <section aria-label={t`Rules`} className="rounded-card border border-line bg-leaf">
      <ul className="divide-y divide-line">
        {rules.map((rule) => (
          <RuleRow
            key={rule.id}
            rule={rule}
            setting={policy.rules?.[rule.id] ?? { severity: rule.severity }}
            settle={(s) => settle(rule, s)}
          />
        ))}
      </ul>
    </section>
  );
}

function RuleRow({ rule, setting, settle }: { rule: Rule; setting: Setting; settle: (s: Setting) => void }) {
  const own = setting.severity !== rule.severity || Boolean(setting.stops?.length);
  return (
    <li className="flex flex-wrap items-start gap-x-4 gap-y-2 px-4 py-3">
      <div className="min-w-0 flex-1 basis-72">
        <p className="font-mono text-small font-semibold">
          {rule.id}
          {own && (
            <span className="ms-2 font-sans font-normal text-gold">
              <Trans>set by the house</Trans>
            </span>
          )}
        </p>
        <p className="text-small text-faded">{rule.about}</p>
      </div>
      <select
        aria-label={t`How severe ${rule.id} is`}
        className={`${fieldLook} !w-28`}
        value={setting.severity}
        onChange={(e) => settle({ severity: e.target.value as Severity })}
      >
        {severities.map((s) => (
          <option key={s} value={s}>
            {severityWords[s]}
          </option>
        ))}
      </select>
      <select
        aria-label={t`What ${rule.id} stops`}
        className={`${fieldLook} !w-36 disabled:opacity-40`}
        disabled={setting.severity !== "stop"}
        value={setting.severity === "stop" ? (setting.stops?.[0] ?? "") : ""}
        onChange={(e) =>
          settle({
            severity: setting.severity,
            stops: e.target.value ? [e.target.value as "submit" | "publish"] : undefined,
          })
        }
      >
        <option value="">{setting.severity === "stop" ? t`both steps` : t`nothing`}</option>
        <option value="submit">
          <Trans>submission</Trans>
        </option>
        <option value="publish">
          <Trans>publishing</Trans>
        </option>
      </select>
    </li>
  );
}

function House({ facets, policy, change }: Changing & { facets: Facet[] }) {
  const required = policy.required ?? [];
  const number = (text: string) => (text === "" ? undefined : Number(text));
  return (
    <>
      <fieldset>
        <legend className="mb-1 font-semibold">
          <Trans>Every entry is labelled in</Trans>
        </legend>
        {facets
          .filter((f) => f.name !== "kind")
          .map((f) => (
            <label key={f.name} className="flex min-h-7 items-center gap-1.5">
              <input
                type="checkbox"
                className="size-4 accent-gold"
                checked={required.includes(f.name)}
                onChange={(e) => {
                  const others = required.filter((r) => r !== f.name);
                  change({ ...policy, required: e.target.checked ? [...others, f.name] : others });
                }}
              />
              {f.title}
            </label>
          ))}
      </fieldset>
      <Field id="avoid" label={t`Words the house avoids`} hint={t`One to a line.`}>
        <textarea
          id="avoid"
          rows={5}
          className={fieldLook}
          value={(policy.avoid ?? []).join("\n")}
          onChange={(e) => change({ ...policy, avoid: e.target.value ? e.target.value.split("\n") : [] })}
        />
      </Field>
      <Field id="grade" label={t`Highest reading grade`} hint={t`Years of school; 12 if nothing is said.`}>
        <input
          id="grade"
          type="number"
          min={1}
          max={30}
          className={fieldLook}
          value={policy.grade ?? ""}
          onChange={(e) => change({ ...policy, grade: number(e.target.value) })}
        />
      </Field>
      <Field
        id="tokens"
        label={t`Most tokens`}
        hint={t`Where the model says nothing; 4000 if nothing is said.`}
      >
        <input
          id="tokens"
          type="number"
          min={1}
          className={fieldLook}
          value={policy.tokens ?? ""}
          onChange={(e) => change({ ...policy, tokens: number(e.target.value) })}
        />
      </Field>
    </>
  );
}

function Models({ models, policy, change }: Changing & { models?: Facet }) {
  if (!models) return null;
  const of = (name: string) => policy.models?.[name] ?? {};
  const set = (name: string, m: { tokens?: number; retired?: boolean }) =>
    change({ ...policy, models: { ...policy.models, [name]: m } });
  return (
    <fieldset>
      <legend className="mb-1 font-semibold">
        <Trans>Models</Trans>
      </legend>
      {models.terms.map((m) => (
        <div key={m.name} className="flex items-center gap-3 py-1">
          <span className="flex-1">{m.title}</span>
          <input
            type="number"
            min={1}
            aria-label={t`Most tokens of ${m.title}`}
            placeholder={t`tokens`}
            className={`${fieldLook} !w-24`}
            value={of(m.name).tokens ?? ""}
            onChange={(e) =>
              set(m.name, { ...of(m.name), tokens: e.target.value ? Number(e.target.value) : undefined })
            }
          />
          <label className="flex min-h-7 items-center gap-1.5">
            <input
              type="checkbox"
              className="size-4 accent-gold"
              checked={of(m.name).retired ?? false}
              onChange={(e) => set(m.name, { ...of(m.name), retired: e.target.checked || undefined })}
            />
            <Trans>retired</Trans>
          </label>
        </div>
      ))}
    </fieldset>
  );
}
