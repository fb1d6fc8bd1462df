import { useState } from "react";
import { toast } from "sonner";
import type { Facet } from "../../data/api";
import { readAllSlugs, type Narrowing } from "../../data/hooks";
import { useApplyLabels, usePlanLabels, useUndoLabels, type Labels } from "../../data/library";
import { termTitle } from "../../data/words";
import { Button, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** For curators: labels for all that a search finds, with what will change shown first. */
export function LabelMany({
  total,
  narrowing,
  facets,
}: {
  total: number;
  narrowing: Narrowing;
  facets: Facet[];
}) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button weight="text" className="text-small" onClick={() => setOpen(true)}>
        Label these {total}…
      </Button>
      <Dialog open={open} onOpen={setOpen} title={`Label ${total} entries`} wide>
        <Form
          narrowing={narrowing}
          facets={facets.filter((f) => f.name !== "kind")}
          done={() => setOpen(false)}
        />
      </Dialog>
    </>
  );
}

function Form({ narrowing, facets, done }: { narrowing: Narrowing; facets: Facet[]; done: () => void }) {
  const [chosen, setChosen] = useState("");
  const [how, setHow] = useState<"add" | "remove">("add");
  const [slugs, setSlugs] = useState<string[]>([]);
  const [error, setError] = useState<unknown>(null);
  const plan = usePlanLabels();
  const apply = useApplyLabels();
  const undo = useUndoLabels();
  const [facet = "", term = ""] = chosen.split("/");
  const labels = { [how]: { [facet]: [term] } };
  const show = async () => {
    try {
      setError(null);
      const all = await readAllSlugs(narrowing);
      setSlugs(all);
      plan.mutate({ slugs: all, ...labels });
    } catch (e) {
      setError(e);
    }
  };
  const carryOut = () =>
    apply.mutate(
      { slugs, ...labels, digest: plan.data?.digest },
      {
        onSuccess: (m) => {
          toast.success(`${m.entries} labelled`, {
            duration: 15_000,
            action: { label: "Undo", onClick: () => m.undo && undo.mutate(m.undo) },
          });
          done();
        },
      },
    );
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        void show();
      }}
    >
      <Trouble error={error ?? plan.error ?? apply.error} title="Nothing was changed" />
      <div className="flex flex-wrap gap-3">
        <select
          aria-label="Add or remove"
          className={`${fieldLook} !w-auto`}
          value={how}
          onChange={(e) => {
            setHow(e.target.value === "remove" ? "remove" : "add");
            plan.reset();
          }}
        >
          <option value="add">Add</option>
          <option value="remove">Remove</option>
        </select>
        <select
          aria-label="Label"
          required
          className={`${fieldLook} !w-auto`}
          value={chosen}
          onChange={(e) => {
            setChosen(e.target.value);
            plan.reset();
          }}
        >
          <option value="">Choose a label…</option>
          {facets.map((f) => (
            <optgroup key={f.name} label={f.title}>
              {f.terms
                .filter((t) => how === "remove" || !t.retired)
                .map((t) => (
                  <option key={t.name} value={`${f.name}/${t.name}`}>
                    {t.title}
                  </option>
                ))}
            </optgroup>
          ))}
        </select>
        <Button type="submit" disabled={!chosen || plan.isPending}>
          Preview
        </Button>
      </div>
      {plan.data && <Changes plan={plan.data} facet={facet} facets={facets} />}
      {plan.data && plan.data.items.length > 0 && (
        <Button weight="main" className="self-start" disabled={apply.isPending} onClick={carryOut}>
          Label {plan.data.items.length}
        </Button>
      )}
    </form>
  );
}

/** What changes, entry by entry, in the facet that it is about. */
function Changes({
  plan,
  facet,
  facets,
}: {
  plan: NonNullable<ReturnType<typeof usePlanLabels>["data"]>;
  facet: string;
  facets: Facet[];
}) {
  const named = (labels: Labels) =>
    (labels[facet] ?? []).map((t) => termTitle(facets, facet, t)).join(", ") || "none";
  return (
    <div aria-live="polite">
      <p className="mb-2">
        {plan.items.length} will change{plan.same > 0 && `, ${plan.same} have it so already`}.
      </p>
      <ul
        className="max-h-[40vh] divide-y divide-line overflow-auto"
        tabIndex={0}
        aria-label="What will change"
      >
        {plan.items.map((i) => (
          <li key={i.slug} className="py-1">
            <span className="font-semibold">{i.title || i.slug}</span>{" "}
            <span className="text-small text-faded">
              {named(i.labels)} → {named(i.becomes)}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
