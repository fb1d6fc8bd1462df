import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Facet } from "../../data/api";
import type { Narrowing } from "../../data/hooks";
import { useApplyLabels, usePlanLabels, useUndoLabels, type Labels } from "../../data/library";
import { termTitle } from "../../data/words";
import { Button, fieldLook, Trouble } from "../../parts/basics";
import { Changes, Many, useAllFound } from "./many";

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
  return (
    <Many what={t`Label`} total={total}>
      {(done) => <Form narrowing={narrowing} facets={facets.filter((f) => f.name !== "kind")} done={done} />}
    </Many>
  );
}

function Form({ narrowing, facets, done }: { narrowing: Narrowing; facets: Facet[]; done: () => void }) {
  const [chosen, setChosen] = useState("");
  const [how, setHow] = useState<"add" | "remove">("add");
  const found = useAllFound(narrowing);
  const plan = usePlanLabels();
  const apply = useApplyLabels();
  const undo = useUndoLabels();
  const [facet = "", term = ""] = chosen.split("/");
  const named = (all: Labels) =>
    (all[facet] ?? []).map((t) => termTitle(facets, facet, t)).join(", ") || t`none`;
  const labels = { [how]: { [facet]: [term] } };
  const carryOut = () =>
    apply.mutate(
      { slugs: found.slugs, ...labels, digest: plan.data?.digest },
      {
        onSuccess: (m) => {
          toast.success(t`${m.entries} labelled`, {
            duration: 15_000,
            action: { label: t`Undo`, onClick: () => m.undo && undo.mutate(m.undo) },
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
        void found.plan((slugs) => plan.mutate({ slugs, ...labels }));
      }}
    >
      <Trouble error={found.error ?? plan.error ?? apply.error} title={t`Nothing was changed`} />
      <div className="flex flex-wrap gap-3">
        <select
          aria-label={t`Add or remove`}
          className={`${fieldLook} !w-auto`}
          value={how}
          onChange={(e) => {
            setHow(e.target.value === "remove" ? "remove" : "add");
            plan.reset();
          }}
        >
          <option value="add">
            <Trans>Add</Trans>
          </option>
          <option value="remove">
            <Trans>Remove</Trans>
          </option>
        </select>
        <select
          aria-label={t`Label`}
          required
          className={`${fieldLook} !w-auto`}
          value={chosen}
          onChange={(e) => {
            setChosen(e.target.value);
            plan.reset();
          }}
        >
          <option value="">
            <Trans>Choose a label…</Trans>
          </option>
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
          <Trans>Preview</Trans>
        </Button>
      </div>
      {plan.data && (
        <Changes
          says={t`${plan.data.items.length} will change${plan.data.same > 0 ? t`, ${plan.data.same} have it so already` : ""}.`}
          items={plan.data.items.map((i) => ({ ...i, from: named(i.labels), to: named(i.becomes) }))}
        />
      )}
      {plan.data && plan.data.items.length > 0 && (
        <Button weight="main" className="self-start" disabled={apply.isPending} onClick={carryOut}>
          <Trans>Label {plan.data.items.length}</Trans>
        </Button>
      )}
    </form>
  );
}
