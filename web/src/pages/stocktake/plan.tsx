import { useState } from "react";
import { toast } from "sonner";
import type { Kind } from "../../data/api";
import {
  deleteImport,
  useDifference,
  usePlan,
  useProgress,
  useApplyImport,
  type Choice,
  type Plan,
  type PlanItem,
} from "../../data/import";
import { Button, fieldLook, KindTile, sentence, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { Columns } from "./columns";

type Choices = Record<number, Choice>;

const stateNames: Record<PlanItem["state"], string> = {
  new: "New",
  changed: "Changed",
  same: "The same",
  similar: "Similar",
  clash: "In conflict",
  wrong: "Wrong",
};

/** What would become of each entry; each can be chosen; then all of it or nothing. */
export function PlanOf({ id, done }: { id: string; done: () => void }) {
  const plan = usePlan(id);
  const [choices, setChoices] = useState<Choices>({});
  const [seen, setSeen] = useState<number | null>(null);
  const apply = useApplyImport(id);
  const progress = useProgress(id, apply.isPending).data;
  if (plan.error) return <Trouble error={plan.error} />;
  if (!plan.data) return <Waiting lines={10} />;
  const p = plan.data;
  const doing = (it: PlanItem) => choices[it.number]?.do ?? (it.selected ? "import" : "skip");
  const taking = p.items.filter((it) => doing(it) !== "skip").length;
  const cancel = () => {
    void deleteImport(id);
    done();
  };
  return (
    <>
      <header className="sticky top-0 z-[5] mb-4 flex flex-wrap items-center gap-3 bg-paper py-3">
        <div className="min-w-0 flex-1">
          <h1 className="text-title max-sm:text-head">{p.name}</h1>
          <p className="text-faded">{countsOf(p)}</p>
        </div>
        <Button onClick={cancel}>Cancel</Button>
        <Button
          weight="main"
          disabled={apply.isPending || taking === 0}
          onClick={() =>
            apply.mutate(
              { digest: p.digest, choices: Object.values(choices) },
              {
                onSuccess: (t) => {
                  toast.success(`${t.created.length} created, ${t.changed.length} changed`);
                  done();
                },
              },
            )
          }
        >
          {taking === 1 ? "Import 1 entry" : `Import ${taking} entries`}
        </Button>
      </header>
      <Trouble error={apply.error} title="Nothing was imported" />
      {apply.isPending && progress && progress.all > 0 && (
        <progress
          className="mb-4 w-full accent-gold"
          aria-label="Imported"
          value={progress.done}
          max={progress.all}
        />
      )}
      {p.columns && <Columns plan={p} />}
      <ul className="divide-y divide-line rounded-card border border-line bg-leaf">
        {p.items
          .filter((it) => it.state !== "same")
          .slice(0, 500)
          .map((it) => (
            <Row
              key={it.number}
              it={it}
              doing={doing(it)}
              slug={choices[it.number]?.slug}
              makeBlanks={choices[it.number]?.make_blanks ?? false}
              choose={(c) => setChoices({ ...choices, [it.number]: c })}
              look={() => setSeen(it.number)}
            />
          ))}
      </ul>
      <Difference id={id} number={seen} close={() => setSeen(null)} />
    </>
  );
}

function countsOf(p: Plan): string {
  return (Object.keys(stateNames) as PlanItem["state"][])
    .filter((s) => (p.counts[s] ?? 0) > 0)
    .map((s) => `${p.counts[s]} ${stateNames[s].toLowerCase()}`)
    .join(" · ");
}

interface RowOf {
  it: PlanItem;
  doing: Choice["do"];
  slug?: string;
  makeBlanks: boolean;
  choose: (c: Choice) => void;
  look: () => void;
}

function Row({ it, doing, slug, makeBlanks, choose, look }: RowOf) {
  const set = (what: Choice["do"]) =>
    choose({
      number: it.number,
      do: what,
      make_blanks: makeBlanks,
      slug: what === "both" ? `${it.slug}-2` : undefined,
    });
  return (
    <li className="flex flex-wrap items-start gap-3 px-4 py-3">
      <KindTile kind={(it.kind || "prompt") as Kind} />
      <div className="min-w-0 flex-1 basis-64">
        <p>
          <b>{it.title || it.slug || it.where}</b>{" "}
          <span className="font-mono text-small text-faded">{it.slug}</span>
        </p>
        <p className="text-small text-faded">
          {stateNames[it.state]} · {it.where}
          {it.note && ` · ${it.note}`}
        </p>
        {it.similar.map((a) => (
          <p key={a.slug} className="text-small">
            {a.likeness} % like {a.title || a.slug}
            {a.incoming && ", which comes in too"}
          </p>
        ))}
        {(it.places ?? 0) > 0 && (
          <label className="flex min-h-7 items-center gap-2 text-small">
            <input
              type="checkbox"
              className="size-4 accent-gold"
              checked={makeBlanks}
              onChange={(e) => choose({ number: it.number, do: doing, slug, make_blanks: e.target.checked })}
            />
            {it.places === 1
              ? "Make a blank of its place to fill in"
              : `Make blanks of its ${it.places} places to fill in`}
          </label>
        )}
        {it.problems?.map((p) => (
          <p key={p.field + p.message} className="text-small text-stop">
            {p.line ? `Line ${p.line}${p.column ? `, column ${p.column}` : ""}: ` : ""}
            {sentence(p.message)}
          </p>
        ))}
      </div>
      {(it.state !== "new" || (it.places ?? 0) > 0) && it.state !== "wrong" && (
        <button type="button" className="min-h-7 px-1 font-semibold text-gold hover:underline" onClick={look}>
          Compare
        </button>
      )}
      {it.state !== "wrong" && (
        <select
          aria-label={`What becomes of ${it.slug}`}
          className={`${fieldLook} !w-40`}
          value={doing}
          onChange={(e) => set(e.target.value as Choice["do"])}
        >
          <option value="import">{it.state === "clash" ? "use theirs" : "import"}</option>
          <option value="skip">{it.state === "clash" ? "keep ours" : "skip"}</option>
          {(it.state === "clash" || it.state === "changed") && <option value="both">keep both</option>}
        </select>
      )}
      {doing === "both" && (
        <input
          aria-label={`Another slug for ${it.slug}`}
          className={`${fieldLook} !w-44 font-mono text-small`}
          value={slug ?? ""}
          onChange={(e) =>
            choose({ number: it.number, do: "both", make_blanks: makeBlanks, slug: e.target.value })
          }
        />
      )}
    </li>
  );
}

function Difference({ id, number, close }: { id: string; number: number | null; close: () => void }) {
  const both = useDifference(id, number).data;
  return (
    <Dialog
      wide
      open={number !== null}
      onOpen={(o) => !o && close()}
      title="As it comes in, and as it is here"
    >
      <div className="grid gap-5 sm:grid-cols-2">
        {both &&
          [
            { title: "Comes in", text: both.incoming },
            ...(both.with_blanks ? [{ title: "With blanks in its places", text: both.with_blanks }] : []),
            ...(both.here || !both.with_blanks
              ? [
                  {
                    title: both.slug ? `${both.slug} is here` : "Is here",
                    text: both.here || "Nothing under this slug.",
                  },
                ]
              : []),
          ].map((side) => (
            <section key={side.title} aria-label={side.title}>
              <h3 className="mb-1.5 font-sans text-base font-semibold">{side.title}</h3>
              <pre
                tabIndex={0}
                className="max-h-[60vh] overflow-auto rounded-card border border-line bg-leaf p-4 font-mono text-small leading-[21px] whitespace-pre-wrap"
              >
                {side.text}
              </pre>
            </section>
          ))}
      </div>
    </Dialog>
  );
}
