import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
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
  new: t`New`,
  changed: t`Changed`,
  same: t`The same`,
  similar: t`Similar`,
  clash: t`In conflict`,
  wrong: t`Wrong`,
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
        <Button onClick={cancel}>
          <Trans>Cancel</Trans>
        </Button>
        <Button
          weight="main"
          disabled={apply.isPending || taking === 0}
          onClick={() =>
            apply.mutate(
              { digest: p.digest, choices: Object.values(choices) },
              {
                onSuccess: (taken) => {
                  toast.success(t`${taken.created.length} created, ${taken.changed.length} changed`);
                  done();
                },
              },
            )
          }
        >
          {plural(taking, { one: "Import 1 entry", other: "Import # entries" })}
        </Button>
      </header>
      <Trouble error={apply.error} title={t`Nothing was imported`} />
      {apply.isPending && progress && progress.all > 0 && (
        <progress
          className="mb-4 w-full accent-gold"
          aria-label={t`Imported`}
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
            <Trans>
              {a.likeness} % like {a.title || a.slug}
            </Trans>
            {a.incoming && t`, which comes in too`}
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
              ? t`Make a blank of its place to fill in`
              : t`Make blanks of its ${it.places ?? 0} places to fill in`}
          </label>
        )}
        {it.problems?.map((p) => (
          <p key={p.field + p.message} className="text-small text-stop">
            {p.line ? t`Line ${p.line}${p.column ? t`, column ${p.column}` : ""}: ` : ""}
            {sentence(p.message)}
          </p>
        ))}
      </div>
      {(it.state !== "new" || (it.places ?? 0) > 0) && it.state !== "wrong" && (
        <button type="button" className="min-h-7 px-1 font-semibold text-gold hover:underline" onClick={look}>
          <Trans>Compare</Trans>
        </button>
      )}
      {it.state !== "wrong" && (
        <select
          aria-label={t`What becomes of ${it.slug}`}
          className={`${fieldLook} !w-40`}
          value={doing}
          onChange={(e) => set(e.target.value as Choice["do"])}
        >
          <option value="import">{it.state === "clash" ? t`use theirs` : t`import`}</option>
          <option value="skip">{it.state === "clash" ? t`keep ours` : t`skip`}</option>
          {(it.state === "clash" || it.state === "changed") && (
            <option value="both">
              <Trans>keep both</Trans>
            </option>
          )}
        </select>
      )}
      {doing === "both" && (
        <input
          aria-label={t`Another slug for ${it.slug}`}
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
      title={t`As it comes in, and as it is here`}
    >
      <div className="grid gap-5 sm:grid-cols-2">
        {both &&
          [
            { title: t`Comes in`, text: both.incoming },
            ...(both.with_blanks ? [{ title: t`With blanks in its places`, text: both.with_blanks }] : []),
            ...(both.here || !both.with_blanks
              ? [
                  {
                    title: both.slug ? t`${both.slug} is here` : t`Is here`,
                    text: both.here || t`Nothing under this slug.`,
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
