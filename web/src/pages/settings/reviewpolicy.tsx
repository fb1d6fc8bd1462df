import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Facet, Policy } from "../../data/api";
import { type Reviewing, type ReviewRule } from "../../data/api";
import { usePeople } from "../../data/people";
import { Button, Field, fieldLook } from "../../parts/basics";
import { atAGlance, OneOf } from "../../parts/oneof";
import { SomeOf } from "../../parts/someof";

interface Props {
  facets: Facet[];
  policy: Policy;
  change: (p: Policy) => void;
}

/** How many approve what, from where; and who is asked first. */
export function ReviewingPart({ facets, policy, change }: Props) {
  const review = policy.review ?? {};
  const set = (r: Reviewing) => change({ ...policy, review: r });
  const departments = facets.find((f) => f.name === "department")?.terms ?? [];
  return (
    <section aria-labelledby="reviewing" className="mb-8">
      <h2 id="reviewing" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Reviews</Trans>
      </h2>
      <p className="mb-3 text-faded">
        <Trans>
          One approval is needed, by someone who wrote none of the text, unless a rule asks for more.
        </Trans>
      </p>
      <ul className="mb-3 flex flex-col gap-2">
        {(review.rules ?? []).map((rule, i) => (
          <Rule
            key={i}
            rule={rule}
            departments={departments}
            set={(r) => set({ ...review, rules: (review.rules ?? []).map((old, k) => (k === i ? r : old)) })}
            remove={() => set({ ...review, rules: (review.rules ?? []).filter((_, k) => k !== i) })}
          />
        ))}
      </ul>
      <Button onClick={() => set({ ...review, rules: [...(review.rules ?? []), { approvals: 2 }] })}>
        <Trans>Add rule</Trans>
      </Button>
      <div className="mt-5 grid gap-4 sm:grid-cols-3">
        <Days
          id="remind"
          label={t`Remind after days`}
          value={review.remind_after}
          usual={3}
          set={(n) => set({ ...review, remind_after: n })}
        />
        <Days
          id="next"
          label={t`Ask the next after days`}
          value={review.next_after}
          usual={5}
          set={(n) => set({ ...review, next_after: n })}
        />
        <Days
          id="keep"
          label={t`Look again after days`}
          value={review.keep_for}
          usual={180}
          set={(n) => set({ ...review, keep_for: n })}
        />
      </div>
      <Asked review={review} departments={departments} set={set} />
    </section>
  );
}

type Terms = Facet["terms"];

function Rule({
  rule,
  departments,
  set,
  remove,
}: {
  rule: ReviewRule;
  departments: Terms;
  set: (r: ReviewRule) => void;
  remove: () => void;
}) {
  const labelled = rule.labels?.department?.[0] ?? "";
  const from = rule.from?.[0]?.department ?? "";
  return (
    <li className="flex flex-wrap items-end gap-3 rounded-card border border-line bg-leaf px-4 py-3">
      <label className="flex flex-col text-small">
        <Trans>Approvals</Trans>
        <input
          type="number"
          min={1}
          max={9}
          className={`${fieldLook} !w-20`}
          value={rule.approvals}
          onChange={(e) => set({ ...rule, approvals: Number(e.target.value) })}
        />
      </label>
      <Department
        label={t`for what is labelled`}
        any={t`anything`}
        value={labelled}
        departments={departments}
        set={(d) => set({ ...rule, labels: d ? { department: [d] } : undefined })}
      />
      <Department
        label={t`one of them from`}
        any={t`anywhere`}
        value={from}
        departments={departments}
        set={(d) => set({ ...rule, from: d ? [{ department: d }] : undefined })}
      />
      <label className="flex flex-col text-small">
        <Trans>and a trial that reaches</Trans>
        <span className="flex items-center gap-1">
          <input
            type="number"
            min={0}
            max={99}
            className={`${fieldLook} !w-20`}
            value={rule.trial ? Math.round(rule.trial * 100) : ""}
            placeholder={t`none`}
            onChange={(e) => set({ ...rule, trial: Number(e.target.value) / 100 || undefined })}
          />
          %
        </span>
      </label>
      <Button weight="text" onClick={remove}>
        <Trans>Remove</Trans>
        <span className="sr-only">
          <Trans>this rule</Trans>
        </span>
      </Button>
    </li>
  );
}

function Department({
  label,
  any,
  value,
  departments,
  set,
}: {
  label: string;
  any: string;
  value: string;
  departments: Terms;
  set: (name: string) => void;
}) {
  return (
    <label className="flex flex-col text-small">
      {label}
      <OneOf className="!w-48" value={value} set={set} none={any} of={departments} />
    </label>
  );
}

function Days({
  id,
  label,
  value,
  usual,
  set,
}: {
  id: string;
  label: string;
  value?: number;
  usual: number;
  set: (n?: number) => void;
}) {
  return (
    <Field id={id} label={label} hint={t`${usual} if nothing is said.`}>
      <input
        id={id}
        type="number"
        min={1}
        className={fieldLook}
        value={value ?? ""}
        onChange={(e) => set(e.target.value ? Number(e.target.value) : undefined)}
      />
    </Field>
  );
}

/** Who is asked first in each department, in turn. */
function Asked({
  review,
  departments,
  set,
}: {
  review: Reviewing;
  departments: Terms;
  set: (r: Reviewing) => void;
}) {
  const reviewers = (usePeople().data?.items ?? []).filter(
    (p) => p.active && (p.role === "reviewer" || p.role === "curator"),
  );
  const toggle = (department: string, name: string, on: boolean) => {
    const names = (review.ask?.[department] ?? []).filter((n) => n !== name);
    const rest = Object.entries(review.ask ?? {}).filter(([d]) => d !== department);
    const now = on ? [...names, name] : names;
    const ask = Object.fromEntries(now.length > 0 ? [...rest, [department, now]] : rest);
    set({ ...review, ask: Object.keys(ask).length > 0 ? ask : undefined });
  };
  return (
    <fieldset className="mt-5">
      <legend className="mb-1 font-semibold">
        <Trans>Who is asked, in turn</Trans>
      </legend>
      <p className="mb-2 text-small text-faded">
        <Trans>Where nobody is marked, every reviewer is asked. Who is away is passed over.</Trans>
      </p>
      {departments.map((d) => (
        <div
          key={d.name}
          className="flex flex-wrap items-center gap-x-4 border-b border-line py-1.5 last:border-0"
        >
          {reviewers.length > atAGlance ? (
            <SomeOf
              title={d.title}
              of={reviewers.map((p) => ({ name: p.name, title: p.full_name }))}
              chosen={review.ask?.[d.name] ?? []}
              toggle={(name, on) => toggle(d.name, name, on)}
            />
          ) : (
            <>
              <span className="w-44">{d.title}</span>
              {reviewers.map((p) => (
                <label key={p.name} className="flex min-h-7 items-center gap-1.5 text-small">
                  <input
                    type="checkbox"
                    className="size-4 accent-gold"
                    aria-label={t`${p.full_name} is asked for ${d.title}`}
                    checked={review.ask?.[d.name]?.includes(p.name) ?? false}
                    onChange={(e) => toggle(d.name, p.name, e.target.checked)}
                  />
                  {p.full_name}
                </label>
              ))}
            </>
          )}
        </div>
      ))}
    </fieldset>
  );
}
