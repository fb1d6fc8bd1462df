import type { Entry, Filled } from "../../data/api";
import { useKind } from "../../data/hooks";
import { fieldLook, KindTile } from "../../parts/basics";

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
  return (
    <div className="mt-7">
      <h2 className="mb-3 text-lead">Stack</h2>
      <div className="mb-4 grid gap-3">
        <Swap
          kind="persona"
          label="Persona"
          recommended={entry.persona}
          value={choice.persona}
          set={(persona) => choose({ ...choice, persona })}
        />
        <Swap
          kind="style"
          label="Style"
          recommended={entry.style}
          value={choice.style}
          set={(style) => choose({ ...choice, style })}
        />
        <Sheets
          recommended={entry.sheets ?? []}
          value={choice.sheets}
          set={(sheets) => choose({ ...choice, sheets })}
        />
      </div>
      <ul
        className="divide-y divide-line overflow-hidden rounded-card border border-line bg-leaf"
        aria-label="What goes into the text"
      >
        {layers.map((l) => (
          <li key={l.entry} className="flex items-center gap-2.5 px-3 py-1.5">
            <KindTile kind={l.kind} /> {l.title} <span className="text-small text-faded">{l.version}</span>
          </li>
        ))}
        {inside.map((u) => (
          <li key={u.entry} className="flex items-center gap-2.5 py-1.5 pr-3 pl-8">
            <KindTile kind={u.kind} /> {u.title} <span className="text-small text-faded">{u.version}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Swap({
  kind,
  label,
  recommended,
  value,
  set,
}: {
  kind: string;
  label: string;
  recommended?: string;
  value?: string;
  set: (slug?: string) => void;
}) {
  const items = useKind(kind).data?.items ?? [];
  const title = (slug: string) => items.find((i) => i.slug === slug)?.title ?? slug;
  const id = `stack-${kind}`;
  return (
    <div className="grid grid-cols-[72px_1fr] items-center gap-2">
      <label htmlFor={id} className="text-small font-semibold">
        {label}
      </label>
      <select
        id={id}
        className={fieldLook}
        value={value ?? ""}
        onChange={(e) => set(e.target.value || undefined)}
      >
        <option value="">{recommended ? `${title(recommended)} (recommended)` : "none"}</option>
        {recommended && <option value="none">none</option>}
        {items
          .filter((i) => i.slug !== recommended)
          .map((i) => (
            <option key={i.slug} value={i.slug}>
              {i.title}
            </option>
          ))}
      </select>
    </div>
  );
}

function Sheets({
  recommended,
  value,
  set,
}: {
  recommended: string[];
  value?: string[];
  set: (slugs?: string[]) => void;
}) {
  const items = useKind("sheet").data?.items ?? [];
  const chosen = (value ?? recommended).filter((s) => s !== "none");
  const toggle = (slug: string, on: boolean) => {
    const next = items.map((i) => i.slug).filter((s) => (s === slug ? on : chosen.includes(s)));
    set(next.length > 0 ? next : ["none"]);
  };
  return (
    <fieldset className="grid grid-cols-[72px_1fr] gap-2">
      <legend className="float-left text-small font-semibold">Sheets</legend>
      <div className="grid gap-0.5">
        {items.map((i) => (
          <label key={i.slug} className="flex min-h-7 items-center gap-2 text-small">
            <input
              type="checkbox"
              className="size-3.5 accent-gold"
              checked={chosen.includes(i.slug)}
              onChange={(e) => toggle(i.slug, e.target.checked)}
            />
            {i.title}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
