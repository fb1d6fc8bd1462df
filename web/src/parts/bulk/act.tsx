import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useApplyBulk, planBulk, useUndoBulk } from "../../data/lifecycle";
import { stateWords } from "../../data/words";
import { fieldLook, sentence } from "../basics";
import { PlanForm, saidBack, usePlan, type Entries } from "./plan";

export type Action = "submit" | "renew" | "retire";

/** A step of the life of many entries: of those that can take it, as one. */
export function Act({
  action,
  name,
  entries,
  done,
}: {
  action: Action;
  name: string;
  entries: Entries;
  done: () => void;
}) {
  const [says, setSays] = useState("");
  const [instead, setInstead] = useState("");
  const apply = useApplyBulk();
  const undo = useUndoBulk();
  const asked = action === "retire" ? { action, because: says, instead } : { action, note: says };
  const plan = usePlan(entries, (slugs) => planBulk({ ...asked, slugs }));
  const carryOut = () =>
    plan.shown &&
    apply.mutate(plan.shown, {
      onSuccess: (out) => {
        toast.success(t`${name}: ${plural(out.done.length, { one: "1 entry", other: "# entries" })}`, {
          duration: 15_000,
          action: out.undo && {
            label: t`Undo`,
            onClick: () =>
              saidBack(undo.mutateAsync({ action: out.undo!, slugs: out.done }), out.done.length),
          },
        });
        done();
      },
    });
  const change = (set: (text: string) => void) => (text: string) => {
    set(text);
    plan.reset();
  };
  return (
    <PlanForm
      plan={plan}
      error={apply.error}
      busy={apply.isPending}
      shows={
        plan.shown && {
          says: plural(plan.shown.items.length, {
            0: "Nothing will change.",
            one: "1 entry will change.",
            other: "# entries will change.",
          }),
          items: plan.shown.items.map((i) => ({
            ...i,
            says: t`version ${i.version}, ${stateWords[i.state]}`,
          })),
          left: plan.shown.left.map((l) => ({ ...l, why: sentence(l.why) })),
        }
      }
      button={`${name} (${plan.shown?.items.length})`}
      carryOut={carryOut}
    >
      <Says action={action} says={says} set={change(setSays)} />
      {action === "retire" && (
        <label className="flex flex-col gap-1">
          <span className="text-small font-semibold">
            <Trans>The slug of what to use instead, if there is something</Trans>
          </span>
          <input
            className={fieldLook}
            value={instead}
            onChange={(e) => change(setInstead)(e.target.value.trim())}
          />
        </label>
      )}
    </PlanForm>
  );
}

function Says({ action, says, set }: { action: Action; says: string; set: (text: string) => void }) {
  const asks = {
    submit: t`What has changed and why, where a draft does not say so itself`,
    renew: t`What was looked at (optional)`,
    retire: t`Why`,
  };
  return (
    <label className="flex flex-col gap-1">
      <span className="text-small font-semibold">{asks[action]}</span>
      <input
        className={fieldLook}
        required={action === "retire"}
        value={says}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
}
