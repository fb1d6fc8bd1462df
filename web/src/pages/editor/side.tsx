import { Tabs } from "radix-ui";
import { useState } from "react";
import type { Checked, Finding, Item, Preview, Values } from "../../data/api";
import { useKind, useLabels, usePreview } from "../../data/hooks";
import { useSetEntryLabels, type Labels } from "../../data/library";
import { useSettled } from "../../data/settled";
import { Field, fieldLook, Trouble } from "../../parts/basics";
import { Findings } from "../../parts/findings";
import { FilledText } from "../../parts/text";
import { Similar } from "./similar";
import { Blanks } from "./blanks";
import { replaceText, type Editing } from "./editing";

/** Beside the text: how it reads when filled, its blanks, and what else is known of it. */
export function Side({
  slug,
  labels,
  draft,
  change,
  checked,
}: Editing & { slug: string; labels: Labels; checked: (Checked & { of: string }) | undefined }) {
  const [tab, setTab] = useState("checks");
  const shown = useSettled(draft);
  const values: Values = Object.fromEntries(
    (shown.blanks ?? [])
      .filter((b) => b.sample !== undefined && b.sample !== "")
      .map((b) => [b.name, b.sample ?? ""]),
  );
  const preview = usePreview({ ...shown, slug }, values);
  const fix = (f: Finding) =>
    replaceText(change, checked?.of ?? "", (now) => ({ ...now, body: fixed(now.body, f) }), "Fixed");
  const look =
    "border-b-2 border-transparent pb-1.5 text-faded data-[state=active]:border-gold data-[state=active]:font-semibold data-[state=active]:text-gold";
  return (
    <Tabs.Root value={tab} onValueChange={setTab}>
      <Tabs.List aria-label="About this draft" className="mb-4 flex gap-5 border-b border-line">
        <Tabs.Trigger value="checks" className={look}>
          Checks {checked?.findings.length}
        </Tabs.Trigger>
        <Tabs.Trigger value="filled" className={look}>
          As filled
        </Tabs.Trigger>
        <Tabs.Trigger value="blanks" className={look}>
          Blanks {draft.blanks?.length ?? 0}
        </Tabs.Trigger>
        <Tabs.Trigger value="similar" className={look}>
          Similar
        </Tabs.Trigger>
        <Tabs.Trigger value="details" className={look}>
          Details
        </Tabs.Trigger>
      </Tabs.List>
      <Tabs.Content value="checks">{checked && <Findings checked={checked} fix={fix} />}</Tabs.Content>
      <Tabs.Content value="filled">
        <Filled preview={preview.data} />
        {preview.error && <Trouble error={preview.error} />}
      </Tabs.Content>
      <Tabs.Content value="blanks">
        <Blanks draft={draft} change={change} asked={preview.data?.blanks ?? []} />
      </Tabs.Content>
      <Tabs.Content value="similar">
        <Similar slug={slug} draft={shown} change={change} />
      </Tabs.Content>
      <Tabs.Content value="details">
        <Details slug={slug} labels={labels} draft={draft} change={change} />
      </Tabs.Content>
    </Tabs.Root>
  );
}

/** Puts a finding's fix in the place of the characters at fault. */
function fixed(body: string, f: Finding): string {
  const lines = body.split(/(?<=\n)/);
  const at = (f.line ?? 1) - 1;
  const line = [...(lines[at] ?? "")];
  const from = (f.column ?? 1) - 1;
  lines[at] = [...line.slice(0, from), f.fix?.text ?? "", ...line.slice(from + (f.length ?? 0))].join("");
  return lines.join("");
}

function Filled({ preview }: { preview: Preview | undefined }) {
  if (!preview) return null;
  const faults = preview.problems.filter((p) => !p.field.startsWith("/values"));
  if (faults.length > 0) {
    return (
      <ul className="flex flex-col divide-y divide-line">
        {faults.map((p) => (
          <li key={p.field + p.line + p.message} className="flex gap-2 py-2.5">
            <span aria-hidden className="text-stop">
              ■
            </span>
            <span>
              {p.line ? (
                <b>
                  Line {p.line}, column {p.column}:{" "}
                </b>
              ) : null}
              {p.message}
            </span>
          </li>
        ))}
      </ul>
    );
  }
  const missing = new Set(preview.problems.map((p) => p.field.split("/")[2] ?? ""));
  return (
    <div
      className="max-h-[640px] overflow-auto rounded-card border border-line bg-leaf px-5 py-4"
      tabIndex={0}
      role="region"
      aria-label="As filled with samples"
    >
      {preview.newer?.map((r) => (
        <p key={r.entry} className="mb-2 text-small text-faded">
          {r.entry} is not published yet: this shows its version {r.version}.
        </p>
      ))}
      <FilledText text={preview.text} spans={preview.spans} missing={missing} />
    </div>
  );
}

/** Labels, short code and the stack that an entry is best used with. */
function Details({ slug, labels, draft, change }: Editing & { slug: string; labels: Labels }) {
  const personas = useKind("persona").data?.items ?? [];
  const styles = useKind("style").data?.items ?? [];
  const sheets = useKind("sheet").data?.items ?? [];
  return (
    <div className="flex flex-col gap-5">
      <EntryLabels slug={slug} labels={labels} />
      {draft.kind === "prompt" && (
        <>
          <Recommended
            id="persona"
            label="Best spoken by"
            value={draft.persona}
            among={personas}
            set={(persona) => change({ ...draft, persona })}
          />
          <Recommended
            id="style"
            label="Best written in"
            value={draft.style}
            among={styles}
            set={(style) => change({ ...draft, style })}
          />
          <fieldset>
            <legend className="mb-1 font-semibold">Best used with</legend>
            {sheets.map((s) => (
              <label key={s.slug} className="flex min-h-7 items-center gap-1.5">
                <input
                  type="checkbox"
                  className="size-4 accent-gold"
                  checked={draft.sheets?.includes(s.slug) ?? false}
                  onChange={(e) => {
                    const others = (draft.sheets ?? []).filter((x) => x !== s.slug);
                    change({ ...draft, sheets: e.target.checked ? [...others, s.slug] : others });
                  }}
                />
                {s.title}
              </label>
            ))}
          </fieldset>
        </>
      )}
      <Field id="code" label="Short code" hint="A shorter name to call it by: letters and digits.">
        <input
          id="code"
          className={fieldLook}
          value={draft.code ?? ""}
          onChange={(e) => change({ ...draft, code: e.target.value.toLowerCase() || undefined })}
        />
      </Field>
    </div>
  );
}

/** The entry's labels: they are its own, not a version's, and hold at once. */
function EntryLabels({ slug, labels }: { slug: string; labels: Labels }) {
  const facets = useLabels().data?.filter((f) => f.name !== "kind") ?? [];
  const set = useSetEntryLabels(slug);
  const shown = set.isPending ? set.variables : labels;
  const toggle = (facet: string, term: string, on: boolean) => {
    const terms = (shown[facet] ?? []).filter((t) => t !== term);
    set.mutate({ ...shown, [facet]: on ? [...terms, term] : terms });
  };
  return (
    <>
      <Trouble error={set.error} title="The labels stay as they were" />
      {facets.map((f) => (
        <fieldset key={f.name} disabled={set.isPending}>
          <legend className="mb-1 font-semibold">{f.title}</legend>
          <div className="flex flex-wrap gap-x-4 gap-y-1">
            {f.terms.map((t) => (
              <label key={t.name} className="flex min-h-7 items-center gap-1.5">
                <input
                  type="checkbox"
                  className="size-4 accent-gold"
                  checked={shown[f.name]?.includes(t.name) ?? false}
                  onChange={(e) => toggle(f.name, t.name, e.target.checked)}
                />
                {t.title}
              </label>
            ))}
          </div>
        </fieldset>
      ))}
    </>
  );
}

function Recommended({
  id,
  label,
  value,
  among,
  set,
}: {
  id: string;
  label: string;
  value?: string;
  among: Item[];
  set: (slug?: string) => void;
}) {
  return (
    <Field id={id} label={label}>
      <select
        id={id}
        className={fieldLook}
        value={value ?? ""}
        onChange={(e) => set(e.target.value || undefined)}
      >
        <option value="">nobody in particular</option>
        {value && !among.some((i) => i.slug === value) && <option value={value}>{value}</option>}
        {among.map((i) => (
          <option key={i.slug} value={i.slug}>
            {i.title}
          </option>
        ))}
      </select>
    </Field>
  );
}
