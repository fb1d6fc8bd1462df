import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useLabels } from "../../data/hooks";
import { useApplyLabels, planLabels, useUndoLabels, type Labels } from "../../data/library";
import { termTitle } from "../../data/words";
import { fieldLook } from "../basics";
import { PlanForm, saidBack, usePlan, type Entries } from "./plan";

/** Labels for many entries, with what will change shown first. */
export function Label({ entries, done }: { entries: Entries; done: () => void }) {
  const facets = (useLabels().data ?? []).filter((f) => f.name !== "kind");
  const [chosen, setChosen] = useState("");
  const [how, setHow] = useState<"add" | "remove">("add");
  const apply = useApplyLabels();
  const undo = useUndoLabels();
  const [facet = "", term = ""] = chosen.split("/");
  const named = (all: Labels) =>
    (all[facet] ?? []).map((t) => termTitle(facets, facet, t)).join(", ") || t`none`;
  const labels = { [how]: { [facet]: [term] } };
  const plan = usePlan(entries, (slugs) => planLabels({ slugs, ...labels }));
  const carryOut = () =>
    apply.mutate(
      { slugs: plan.slugs, ...labels, digest: plan.shown?.digest },
      {
        onSuccess: (m) => {
          toast.success(t`${m.entries} labelled`, {
            duration: 15_000,
            action: {
              label: t`Undo`,
              onClick: () => m.undo && saidBack(undo.mutateAsync(m.undo), m.entries),
            },
          });
          done();
        },
      },
    );
  return (
    <PlanForm
      plan={plan}
      ready={chosen !== ""}
      error={apply.error}
      busy={apply.isPending}
      shows={
        plan.shown && {
          says: t`${plan.shown.items.length} will change${plan.shown.same > 0 ? t`, ${plan.shown.same} have it so already` : ""}.`,
          items: plan.shown.items.map((i) => ({ ...i, says: `${named(i.labels)} → ${named(i.becomes)}` })),
        }
      }
      button={<Trans>Label {plan.shown?.items.length}</Trans>}
      carryOut={carryOut}
    >
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
      </div>
    </PlanForm>
  );
}
