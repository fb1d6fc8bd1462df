import { Link, useParams } from "@tanstack/react-router";
import { Copy } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { toast } from "sonner";
import type { Entry as EntryData, Filled, Values } from "../../data/api";
import { Refused } from "../../data/api";
import { fillEntry, useEntry, useSearch, useSession, useShelfEntry, useSketch } from "../../data/hooks";
import { rememberUse } from "../../data/recent";
import { titleOf, wordCount } from "../../data/words";
import { Choice } from "../../parts/choice";
import { BlankFields } from "../../parts/blankfields";
import { Button, KindTile, sentence, Trouble, Waiting } from "../../parts/basics";
import { FilledText, WrittenText, type Origin } from "../../parts/text";
import { Head } from "./head";
import { History } from "./history";
import { Manage } from "./manage";
import { Retired } from "./retired";
import { Stack, type StackChoice } from "./stack";
import { UsedBy } from "./usedby";

const views = [
  { value: "filled", name: "Filled" },
  { value: "written", name: "As written" },
];

/** An entry to be filled in and taken away. */
export function Entry() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const entry = useShelfEntry(slug);
  if (entry.error) return <AsWritten slug={slug} error={entry.error} />;
  if (!entry.data) return <Waiting lines={10} />;
  if (entry.data.retired) return <Retired entry={entry.data} />;
  return <Published key={entry.data.slug + entry.data.version} entry={entry.data} name={slug} />;
}

/** What cannot be filled in, as nothing of it is published or it has lost what it uses, is shown as it is written. */
function AsWritten({ slug, error }: { slug: string; error: unknown }) {
  const open = useEntry(slug);
  if (open.isPending) return <Waiting lines={10} />;
  if (!open.data) {
    return (
      <div className="flex flex-col items-start gap-4">
        <h1 className="text-head">This entry is not on the shelf</h1>
        <Trouble error={error} />
        <Nearest name={slug} />
        <Link to="/" className="font-semibold text-gold hover:underline">
          Back to the shelf
        </Link>
      </div>
    );
  }
  return (
    <>
      <Head entry={open.data} />
      <Manage entry={open.data} />
      {open.data.published !== undefined && (
        <div className="mb-5">
          <Trouble error={error} title="It cannot be filled in" />
        </div>
      )}
      <div className="rounded-card border border-line bg-leaf p-5">
        <WrittenText body={open.data.body} />
      </div>
      <History slug={slug} />
    </>
  );
}

/** What is called nearly like an address that leads nowhere. */
function Nearest({ name }: { name: string }) {
  const near = useSearch(name.replaceAll("-", " ")).data?.items.slice(0, 3) ?? [];
  if (near.length === 0) return null;
  return (
    <section aria-labelledby="nearest">
      <h2 id="nearest" className="mb-1 text-lead">
        Nearest by name
      </h2>
      <ul className="flex flex-col gap-1">
        {near.map((i) => (
          <li key={i.slug} className="flex items-center gap-2">
            <KindTile kind={i.kind} />
            <Link
              to="/entries/$slug"
              params={{ slug: i.slug }}
              className="font-semibold text-gold hover:underline"
            >
              {titleOf(i)}
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Published({ entry, name }: { entry: EntryData; name: string }) {
  const session = useSession().data;
  const [values, setValues] = useState<Values>({});
  const [view, setView] = useState("filled");
  const [stack, setStack] = useState<StackChoice>({});
  const sketch = useSketch(name, useDeferredValue({ values, ...stack }));
  const problems = sketch.data?.problems ?? [];
  const missing = new Set(problems.map((p) => p.field.split("/")[2] ?? ""));
  const text = sketch.data?.text ?? "";

  // What is copied is filled anew, so that it is whole and of the values as they are now.
  const copy = async () => {
    try {
      const filled = await fillEntry(name, { values, ...stack });
      await navigator.clipboard.writeText(filled.text);
      toast.success("Copied, with its formatting");
      if (session) rememberUse(session.name, entry);
    } catch (e) {
      if (e instanceof Refused && e.problems[0]) {
        const first = e.problems[0];
        toast.error(sentence(first.message));
        document.getElementById(`blank-${first.field.split("/")[2]}`)?.focus();
      } else if (e instanceof DOMException) {
        toast.error("The browser did not allow copying: mark the text and copy it by hand");
      } else {
        toast.error((e as Error).message);
      }
    }
  };

  return (
    <>
      <Head entry={entry} />
      <Manage entry={entry} />
      <div className="grid items-start gap-7 wide:grid-cols-[1fr_348px]">
        <section aria-label="Text" className="min-w-0 rounded-card border border-line bg-leaf">
          <div className="sticky top-0 z-[5] flex flex-wrap items-center gap-4 rounded-t-card border-b border-line bg-leaf px-3.5 py-2.5">
            <Choice label="How to show the text" value={view} onChange={setView} options={views} />
            <p className="text-small text-faded max-sm:hidden">{wordCount(text)} words</p>
            <Button weight="main" className="ml-auto" onClick={() => void copy()} data-testid="copy">
              <Copy size={15} aria-hidden />
              Copy
            </Button>
          </div>
          <div className="min-h-64 py-5 pr-7 max-sm:pr-4">
            {sketch.error && <Trouble error={sketch.error} />}
            {view === "filled" ? (
              <FilledText
                text={text}
                spans={sketch.data?.spans ?? []}
                missing={missing}
                origins={originsOf(sketch.data)}
              />
            ) : (
              <div className="pl-7 max-sm:pl-4">
                <WrittenText body={entry.body} />
              </div>
            )}
          </div>
        </section>
        <section aria-labelledby="fill-in" className="max-wide:order-first wide:sticky wide:top-4">
          <h2 id="fill-in" className="mb-3 text-lead">
            Fill in
          </h2>
          <BlankFields
            blanks={sketch.data?.blanks ?? entry.asks ?? []}
            values={values}
            problems={problems}
            onChange={setValues}
          />
          {entry.kind === "prompt" && (
            <Stack entry={entry} filled={sketch.data} choice={stack} choose={setStack} />
          )}
        </section>
      </div>
      <UsedBy slug={entry.slug} />
      <History slug={entry.slug} />
    </>
  );
}

function originsOf(filled: Filled | undefined): Record<string, Origin> {
  return Object.fromEntries(
    (filled?.used ?? []).map((u) => [`${u.entry}@${u.version}`, { kind: u.kind, title: u.title }]),
  );
}
