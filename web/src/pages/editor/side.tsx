import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Tabs } from "radix-ui";
import { useState } from "react";
import type { Checked, Facet, Finding, Kind, Preview, Values } from "../../data/api";
import { useKind, useLabels, usePreview, useShelfEntry } from "../../data/hooks";
import { useProposedLabels, useSetEntryLabels, type Labels } from "../../data/library";
import { useSets } from "../../data/sets";
import { useSettled } from "../../data/settled";
import { Field, fieldLook, Trouble } from "../../parts/basics";
import { Findings } from "../../parts/findings";
import { EntryField } from "../../parts/entryfield";
import { SomeOf } from "../../parts/someof";
import { FilledText } from "../../parts/text";
import { FromSamples } from "./guide";
import { Help } from "./help";
import { HowNear } from "./hownear";
import { Pictures } from "./pictures";
import { Similar } from "./similar";
import { TryOpen } from "./tryopen";
import { Blanks } from "./blanks";
import { replaceText, type Editing } from "./editing";

/** Beside the text: how it reads when filled, its blanks, and what else is known of it. */
export function Side({
  slug,
  labels,
  draft,
  change,
  checked,
  published,
  flush,
  begun,
}: Editing & {
  slug: string;
  labels: Labels;
  published: boolean;
  flush: () => Promise<boolean>;
  begun: () => boolean;
  checked: (Checked & { of: string }) | undefined;
}) {
  const [tab, setTab] = useState("checks");
  const shown = useSettled(draft);
  const values: Values = Object.fromEntries(
    (shown.blanks ?? [])
      .filter((b) => b.sample !== undefined && b.sample !== "")
      .map((b) => [b.name, b.sample ?? ""]),
  );
  const preview = usePreview({ ...shown, slug }, values);
  const fix = (f: Finding) =>
    replaceText(change, checked?.of ?? "", (now) => ({ ...now, body: fixed(now.body, f) }), t`Fixed`);
  const look =
    "border-b-2 border-transparent pb-1.5 whitespace-nowrap text-faded data-[state=active]:border-gold data-[state=active]:font-semibold data-[state=active]:text-gold";
  return (
    <Tabs.Root value={tab} onValueChange={setTab}>
      <Tabs.List
        aria-label={t`About this draft`}
        className="mb-4 flex flex-wrap gap-x-4 border-b border-line text-small"
      >
        <Tabs.Trigger value="checks" className={look}>
          <Trans>Checks {checked?.findings.length}</Trans>
        </Tabs.Trigger>
        <Tabs.Trigger value="filled" className={look}>
          <Trans>As filled</Trans>
        </Tabs.Trigger>
        {draft.kind === "prompt" && (
          <Tabs.Trigger value="try" className={look}>
            <Trans>Try it</Trans>
          </Tabs.Trigger>
        )}
        <Tabs.Trigger value="blanks" className={look}>
          <Trans>Blanks {draft.blanks?.length ?? 0}</Trans>
        </Tabs.Trigger>
        {draft.kind === "style" && (
          <Tabs.Trigger value="samples" className={look}>
            <Trans>Samples</Trans>
          </Tabs.Trigger>
        )}
        {draft.style && (
          <Tabs.Trigger value="style" className={look}>
            <Trans>Style</Trans>
          </Tabs.Trigger>
        )}
        <Tabs.Trigger value="help" className={look}>
          <Trans>Help</Trans>
        </Tabs.Trigger>
        <Tabs.Trigger value="similar" className={look}>
          <Trans>Similar</Trans>
        </Tabs.Trigger>
        <Tabs.Trigger value="details" className={look}>
          <Trans>Details</Trans>
        </Tabs.Trigger>
      </Tabs.List>
      <Tabs.Content value="checks">{checked && <Findings checked={checked} fix={fix} />}</Tabs.Content>
      <Tabs.Content value="filled">
        <Filled preview={preview.data} />
        {preview.error && <Trouble error={preview.error} />}
      </Tabs.Content>
      {draft.kind === "prompt" && (
        <Tabs.Content value="try">
          <TryOpen slug={slug} values={values} published={published} flush={flush} begun={begun} />
        </Tabs.Content>
      )}
      <Tabs.Content value="blanks">
        <Blanks draft={draft} change={change} asked={preview.data?.blanks ?? []} />
      </Tabs.Content>
      {draft.kind === "style" && (
        <Tabs.Content value="samples">
          <FromSamples slug={slug} draft={draft} change={change} />
        </Tabs.Content>
      )}
      {draft.style && (
        <Tabs.Content value="style">
          <HowNear style={draft.style} text={preview.data?.text ?? ""} language={shown.language} />
        </Tabs.Content>
      )}
      <Tabs.Content value="help">
        <Help slug={slug} draft={draft} change={change} flush={flush} />
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
                  <Trans>
                    Line {p.line}, column {p.column}:
                  </Trans>{" "}
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
      aria-label={t`As filled with samples`}
    >
      {preview.newer?.map((r) => (
        <p key={r.entry} className="mb-2 text-small text-faded">
          <Trans>
            {r.entry} is not published yet: this shows its version {r.version}.
          </Trans>
        </p>
      ))}
      <FilledText text={preview.text} spans={preview.spans} missing={missing} />
    </div>
  );
}

/** Labels, short code and the stack that an entry is best used with. */
function Details({ slug, labels, draft, change }: Editing & { slug: string; labels: Labels }) {
  const sheets = useKind("sheet").data?.items ?? [];
  const sets = useSets().data?.items;
  return (
    <div className="flex flex-col gap-5">
      <EntryLabels slug={slug} labels={labels} />
      {draft.kind === "prompt" && (
        <>
          <Recommended
            kind="persona"
            label={t`Best spoken by`}
            value={draft.persona}
            set={(persona) => change({ ...draft, persona })}
          />
          <Recommended
            kind="style"
            label={t`Best written in`}
            value={draft.style}
            set={(style) => change({ ...draft, style })}
          />
          <SomeOf
            title={t`Wants one sheet of each`}
            of={(sets ?? []).map((s) => ({ name: s.name, title: s.title }))}
            chosen={draft.sheet_of ?? []}
            toggle={(set, on) => {
              const others = (draft.sheet_of ?? []).filter((x) => x !== set);
              change({ ...draft, sheet_of: on ? [...others, set] : others });
            }}
          />
          <SomeOf
            title={t`Best used with`}
            of={sheets.map((i) => ({ name: i.slug, title: i.title }))}
            chosen={draft.sheets ?? []}
            toggle={(sheet, on) => {
              const others = (draft.sheets ?? []).filter((x) => x !== sheet);
              change({ ...draft, sheets: on ? [...others, sheet] : others });
            }}
          />
        </>
      )}
      <Pictures draft={draft} change={change} />
      <Field id="code" label={t`Short code`} hint={t`A shorter name to call it by: letters and digits.`}>
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
  const toggle = (facet: Facet, term: string, on: boolean) => {
    const others = facet.single && on ? [] : (shown[facet.name] ?? []).filter((t) => t !== term);
    set.mutate({ ...shown, [facet.name]: on ? [...others, term] : others });
  };
  return (
    <>
      <Trouble error={set.error} title={t`The labels stay as they were`} />
      {facets.map((f) => (
        <SomeOf
          key={f.name}
          title={f.title}
          of={f.terms.filter((t) => !t.retired || shown[f.name]?.includes(t.name))}
          chosen={shown[f.name] ?? []}
          single={f.single}
          disabled={set.isPending}
          toggle={(term, on) => toggle(f, term, on)}
        />
      ))}
      <Proposed slug={slug} add={(facet, term) => facet && toggle(facet, term, true)} facets={facets} />
    </>
  );
}

/** Labels that entries have which read like this one. */
function Proposed(props: {
  slug: string;
  facets: Facet[];
  add: (facet: Facet | undefined, term: string) => void;
}) {
  const all = useProposedLabels(props.slug).data?.items ?? [];
  if (all.length === 0) return null;
  return (
    <div>
      <p className="mb-1 text-small text-faded">
        <Trans>Entries that read alike have:</Trans>
      </p>
      <div className="flex flex-wrap gap-2">
        {all.map((p) => (
          <button
            key={`${p.facet}/${p.term}`}
            type="button"
            title={t`As ${p.from.join(", ")}`}
            className="rounded-full border border-dashed border-line px-2.5 py-0.5 text-small hover:bg-wash"
            onClick={() =>
              props.add(
                props.facets.find((f) => f.name === p.facet),
                p.term,
              )
            }
          >
            + {p.title}
          </button>
        ))}
      </div>
    </div>
  );
}

function Recommended({
  kind,
  label,
  value,
  set,
}: {
  kind: Kind;
  label: string;
  value?: string;
  set: (slug?: string) => void;
}) {
  const title = useShelfEntry(value ?? "", false, value !== undefined).data?.title;
  const none = t`nobody in particular`;
  return (
    <Field id={kind} label={label}>
      <EntryField
        id={kind}
        kind={kind}
        value={value ?? ""}
        title={value ? (title ?? value) : none}
        first={[{ name: "", title: none }]}
        set={(slug) => set(slug || undefined)}
      />
    </Field>
  );
}
