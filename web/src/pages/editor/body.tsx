import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useMemo, useRef, useState } from "react";
import { toast } from "sonner";
import type { Finding, Heading, Kind } from "../../data/api";
import { takeApart, useOutline } from "../../data/hooks";
import { useSettled } from "../../data/settled";
import { Trouble, Waiting } from "../../parts/basics";
import { Choice } from "../../parts/choice";
import type { Known } from "./complete";
import { TextField, type Remark } from "./textfield";
import { Selection, type Selected } from "./selection";
import type { Editing } from "./editing";

const views = [
  { value: "parts", name: t`By parts` },
  { value: "whole", name: t`Whole text` },
];

type BodyOf = Editing & { findings: Finding[]; slug: string };

/** The text, by the parts of its kind's outline or as a whole: one document either way. */
export function Body(props: BodyOf) {
  const outline = useOutline(props.draft.kind);
  return outline ? <Text {...props} outline={outline} /> : <Waiting lines={8} />;
}

function Text({ draft, change, findings, slug, outline }: BodyOf & { outline: Heading[] }) {
  const [view, setView] = useState(byParts(draft, outline) ? "parts" : "whole");
  const [selected, setSelected] = useState<Selected | null>(null);
  const known: Known = useMemo(
    () => ({ blanks: (draft.blanks ?? []).map((b) => b.name), slug }),
    [draft.blanks, slug],
  );
  const remarks = useMemo(
    () =>
      findings
        .filter((f) => f.field === "/body" && f.line)
        .map((f): Remark => ({
          line: f.line!,
          column: f.column ?? 1,
          length: f.length ?? 1,
          severity: f.severity as Remark["severity"],
          message: f.message,
        })),
    [findings],
  );
  const set = (body: string) => change((now) => ({ ...now, body }));
  const select = (text: string, at: { left: number; top: number } | null) =>
    setSelected(text.trim() && at ? { text, ...at } : null);
  return (
    <section aria-labelledby="body-label" className="flex flex-col gap-3">
      <div className="flex items-center justify-between">
        <h2 id="body-label" className="font-sans text-base font-semibold">
          {draft.set ? t`What is said besides` : t`Text`}
        </h2>
        {outline.length > 0 && (
          <Choice label={t`How to edit the text`} value={view} onChange={setView} options={views} />
        )}
      </div>
      {view === "parts" ? (
        <Parts
          body={draft.body}
          kind={draft.kind}
          set={set}
          outline={outline}
          known={known}
          remarks={remarks}
          onSelect={select}
        />
      ) : (
        <div className="rounded-card border border-line bg-leaf px-4 py-3 focus-within:border-gold">
          <TextField
            label={t`Text`}
            tall={!draft.set}
            value={draft.body}
            onChange={set}
            onSelect={select}
            remarks={remarks}
            known={known}
          />
        </div>
      )}
      {selected && (
        <Selection selected={selected} draft={draft} change={change} close={() => setSelected(null)} />
      )}
    </section>
  );
}

/** What has parts is edited by them, and so is what cannot do without: a persona, a style. */
function byParts(draft: Editing["draft"], outline: Heading[]): boolean {
  const needsThem = draft.kind !== "prompt" && draft.body.trim() === "";
  return outline.length > 0 && (draft.body.includes("## ") || needsThem);
}

/** A part of a text: the line of its heading as it is written, and all below it. The first may have none. */
type Part = Awaited<ReturnType<typeof takeApart>>["parts"][number];

const join = (parts: Part[]) => parts.map((p) => p.heading + p.text).join("");

interface PartsOf {
  body: string;
  kind: Kind;
  set: (body: string) => void;
  outline: Heading[];
  known: Known;
  remarks: Remark[];
  onSelect: (text: string, at: { left: number; top: number } | null) => void;
}

/**
 * The parts of a text, as the service takes it apart. What is typed into a part stands in
 * them at once; whether it has become two is known a moment later.
 */
function useParts(body: string, kind: Kind) {
  const [parts, setParts] = useState<Part[] | null>(null);
  const [error, setError] = useState<unknown>(null);
  const whole = parts && join(parts) === body;
  const settled = useSettled(body);
  const asked = whole ? settled : body;
  const latest = useRef(body);
  useEffect(() => {
    latest.current = body;
  });
  useEffect(() => {
    let gone = false;
    takeApart(asked, kind).then(
      (got) => {
        if (gone) return;
        setError(null);
        if (latest.current === asked) setParts(got.parts); // or else it was typed into since
      },
      (e: unknown) => !gone && setError(e),
    );
    return () => {
      gone = true;
    };
  }, [asked, kind]);
  return { parts: whole ? parts : null, setParts, error };
}

function Parts({ body, kind, set, outline, known, remarks, onSelect }: PartsOf) {
  const { parts, setParts, error } = useParts(body, kind);
  if (!parts) {
    return error ? (
      <Trouble error={error} title={t`The text cannot be taken apart now; edit it as a whole`} />
    ) : (
      <Waiting lines={8} />
    );
  }
  const shown = (p: Part, i: number) => i > 0 || p.text.trim() !== "" || parts.length === 1;
  const missing = outline.filter((h) => !parts.some((p) => p.title.toLowerCase() === h.title.toLowerCase()));
  const starts = parts.map((_, i) => join(parts.slice(0, i)).split("\n").length - 1);
  const write = (i: number, text: string) => {
    const next = parts.map((old, j) => (j === i ? { ...old, text } : old));
    setParts(next);
    set(join(next));
  };
  const add = async (title: string) => {
    try {
      const next = (await takeApart(body, kind, title)).parts;
      setParts((now) => {
        if (!now || join(now) !== body) return now; // typed into meanwhile
        set(join(next));
        return next;
      });
    } catch (e) {
      toast.error((e as Error).message);
    }
  };
  return (
    <div className="flex flex-col gap-3">
      {parts.map(
        (p, i) =>
          shown(p, i) && (
            <Card
              key={i}
              part={p}
              heading={headingOf(outline, p.title)}
              set={(text) => write(i, text)}
              onSelect={onSelect}
              remarks={within(remarks, starts[i]! + (p.heading ? 1 : 0), p.text)}
              known={known}
            />
          ),
      )}
      {missing.map((h) => (
        <button
          key={h.title}
          type="button"
          className="flex items-baseline gap-3 rounded-card border border-dashed border-line px-4 py-2 text-start hover:bg-wash"
          onClick={() => void add(h.title)}
        >
          <span className="font-serif text-[17px] font-[650]">{h.title}</span>
          <span className="text-small text-faded">
            {h.ask} {h.example && <i className="max-sm:hidden">{h.example}</i>}
          </span>
        </button>
      ))}
    </div>
  );
}

interface CardOf {
  part: Part;
  heading?: Heading;
  set: (text: string) => void;
  onSelect: PartsOf["onSelect"];
  remarks: Remark[];
  known: Known;
}

/** One part as a field. The empty lines at its end are kept, and not shown. */
function Card({ part, heading, set, onSelect, remarks, known }: CardOf) {
  const [tail] = useState(() => /(?:\r?\n)*$/.exec(part.text)?.[0] ?? "");
  const whole = !part.text.endsWith(tail);
  const shown = whole ? part.text : part.text.slice(0, part.text.length - tail.length);
  return (
    <div className="rounded-card border border-line bg-leaf px-4 py-2.5 focus-within:border-gold focus-within:shadow-[0_0_0_3px_color-mix(in_srgb,var(--gilt)_30%,transparent)]">
      {part.heading && (
        <p className="mb-1 flex items-baseline gap-3">
          <span className="font-serif text-[17px] font-[650]">{part.title}</span>
          <span className="text-small text-faded">{heading?.ask}</span>
        </p>
      )}
      {heading?.example && part.text.trim() === "" && (
        <p className="text-small text-faded">
          <Trans>Such as: {heading.example}</Trans>
        </p>
      )}
      <TextField
        label={part.title || t`Before the first heading`}
        value={shown}
        onChange={(text) => set(whole ? text : text + tail)}
        onSelect={onSelect}
        remarks={remarks}
        known={known}
      />
    </div>
  );
}

function headingOf(outline: Heading[], title: string): Heading | undefined {
  return outline.find((h) => h.title.toLowerCase() === title.toLowerCase());
}

/** The remarks that fall into a part, by its own lines. */
function within(remarks: Remark[], before: number, text: string): Remark[] {
  const lines = text.split("\n").length;
  return remarks
    .filter((r) => r.line > before && r.line <= before + lines)
    .map((r) => ({ ...r, line: r.line - before }));
}
