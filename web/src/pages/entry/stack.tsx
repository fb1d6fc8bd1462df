import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { Entry, Filled, Kind } from "../../data/api";
import { useKind } from "../../data/hooks";
import { labelOf, useAnswering, useSheetsOf } from "../../data/sets";
import { KindTile } from "../../parts/basics";
import { EntryField } from "../../parts/entryfield";
import { OneOf } from "../../parts/oneof";
import { SomeOf } from "../../parts/someof";

/** What someone has put in the place of a recommended part: a slug, or "none". */
export interface StackChoice {
  persona?: string;
  style?: string;
  sheets?: string[];
}

/** The stack that goes into the text, in its fixed order, each part to be swapped or dropped. */
export function Stack({
  entry,
  filled,
  choice,
  choose,
}: {
  entry: Entry;
  filled?: Filled;
  choice: StackChoice;
  choose: (c: StackChoice) => void;
}) {
  const layers = filled?.layers ?? [];
  const inside = (filled?.used ?? []).filter((u) => !layers.some((l) => l.entry === u.entry));
  const titleIn = (slug?: string) => layers.find((l) => l.entry === slug)?.title;
  const sheets = (choice.sheets ?? entry.sheets ?? []).filter((s) => s !== "none");
  return (
    <div className="mt-7">
      <h2 className="mb-3 text-lead">
        <Trans>Stack</Trans>
      </h2>
      <div className="mb-4 grid gap-3">
        <Swap
          kind="persona"
          label={t`Persona`}
          recommended={entry.persona}
          value={choice.persona}
          title={titleIn(choice.persona ?? entry.persona)}
          set={(persona) => choose({ ...choice, persona })}
        />
        <Swap
          kind="style"
          label={t`Style`}
          recommended={entry.style}
          value={choice.style}
          title={titleIn(choice.style ?? entry.style)}
          set={(style) => choose({ ...choice, style })}
        />
        {(entry.sheet_of ?? []).map((set) => (
          <SheetOf
            key={set}
            set={set}
            chosen={sheets}
            choose={(next) => choose({ ...choice, sheets: next.length > 0 ? next : ["none"] })}
          />
        ))}
        <Sheets
          wanted={entry.sheet_of ?? []}
          recommended={entry.sheets ?? []}
          value={choice.sheets}
          set={(sheets) => choose({ ...choice, sheets })}
        />
      </div>
      <ul
        className="divide-y divide-line overflow-hidden rounded-card border border-line bg-leaf"
        aria-label={t`What goes into the text`}
      >
        {layers.map((l) => (
          <li key={l.entry} className="flex items-center gap-2.5 px-3 py-1.5">
            <KindTile kind={l.kind} /> {l.title} <span className="text-small text-faded">{l.version}</span>
          </li>
        ))}
        {inside.map((u) => (
          <li key={u.entry} className="flex items-center gap-2.5 py-1.5 pe-3 ps-8">
            <KindTile kind={u.kind} /> {u.title} <span className="text-small text-faded">{u.version}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** A persona or a style: the one that is recommended, another that one types, or none. */
function Swap({
  kind,
  label,
  recommended,
  value,
  title,
  set,
}: {
  kind: Kind;
  label: string;
  recommended?: string;
  value?: string;
  title?: string;
  set: (slug?: string) => void;
}) {
  const id = `stack-${kind}`;
  const now = value ?? "";
  const usual = recommended ? t`${now === "" && title ? title : recommended} (recommended)` : t`none`;
  const shown = now === "" ? usual : now === "none" ? t`none` : title;
  return (
    <div className="grid grid-cols-[72px_1fr] items-center gap-2">
      <label htmlFor={id} className="text-small font-semibold">
        {label}
      </label>
      <EntryField
        id={id}
        kind={kind}
        value={now}
        title={shown}
        set={(slug) => set(slug || undefined)}
        first={[{ name: "", title: usual }, ...(recommended ? [{ name: "none", title: t`none` }] : [])]}
      />
    </div>
  );
}

/** One sheet of a question set, which the entry wants. */
function SheetOf({
  set,
  chosen,
  choose,
}: {
  set: string;
  chosen: string[];
  choose: (sheets: string[]) => void;
}) {
  const all = useSheetsOf(set).data?.items ?? [];
  const of = all.map((s) => ({ name: s.slug, title: s.title }));
  const now = chosen.find((c) => of.some((o) => o.name === c)) ?? "";
  const id = `sheet-of-${set}`;
  return (
    <div className="grid grid-cols-[72px_1fr] items-center gap-2">
      <label htmlFor={id} className="text-small font-semibold">
        {labelOf(set.replaceAll("-", "_"))}
      </label>
      <OneOf
        id={id}
        value={now}
        none={t`Choose a sheet …`}
        of={of}
        set={(slug) => choose([...chosen.filter((c) => c !== now), ...(slug ? [slug] : [])])}
      />
    </div>
  );
}

/** Sheets that go in besides; those of a set that the entry wants have their own field. */
function Sheets({
  wanted,
  recommended,
  value,
  set,
}: {
  wanted: string[];
  recommended: string[];
  value?: string[];
  set: (slugs?: string[]) => void;
}) {
  const elsewhere = useAnswering(wanted);
  const items = (useKind("sheet").data?.items ?? []).filter((i) => !elsewhere.includes(i.slug));
  const chosen = (value ?? recommended).filter((s) => s !== "none");
  const toggle = (slug: string, on: boolean) => {
    const next = on ? [...chosen, slug] : chosen.filter((s) => s !== slug);
    set(next.length > 0 ? next : ["none"]);
  };
  return (
    <SomeOf
      title={t`Sheets`}
      of={items.map((i) => ({ name: i.slug, title: i.title }))}
      chosen={chosen.filter((s) => !elsewhere.includes(s))}
      toggle={toggle}
    />
  );
}
