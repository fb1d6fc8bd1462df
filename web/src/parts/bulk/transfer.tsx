import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { usePeople, useGiveBack, planTransfer, useTransferMany } from "../../data/people";
import { fieldLook } from "../basics";
import { PlanForm, saidBack, usePlan, type Entries } from "./plan";

/** Another owner for many entries, with what will change shown first. */
export function Transfer({ entries, done }: { entries: Entries; done: () => void }) {
  const people = usePeople().data?.items ?? [];
  const [to, setTo] = useState("");
  const called = (name: string) => people.find((p) => p.name === name)?.full_name ?? name;
  const transfer = useTransferMany();
  const giveBack = useGiveBack();
  const plan = usePlan(entries, (slugs) => planTransfer({ slugs, to }));
  const carryOut = () =>
    transfer.mutate(
      { slugs: plan.slugs, to, digest: plan.shown?.digest },
      {
        onSuccess: (out) => {
          toast.success(t`${out.done.length + out.offered.length} transferred`, {
            duration: 15_000,
            action: out.done.length > 0 && {
              label: t`Undo`,
              onClick: () => saidBack(giveBack.mutateAsync(plan.shown?.items ?? []), out.done.length),
            },
          });
          done();
        },
      },
    );
  return (
    <PlanForm
      plan={plan}
      ready={to !== ""}
      error={transfer.error}
      busy={transfer.isPending}
      shows={
        plan.shown && {
          says: t`${plan.shown.items.length} will change hands${plan.shown.same > 0 ? t`, ${plan.shown.same} are theirs already` : ""}.`,
          items: plan.shown.items.map((i) => ({ ...i, says: `${called(i.owner)} → ${called(to)}` })),
        }
      }
      button={<Trans>Transfer {plan.shown?.items.length}</Trans>}
      carryOut={carryOut}
    >
      <div className="flex flex-wrap gap-3">
        <select
          aria-label={t`Who answers for them from now on`}
          required
          className={`${fieldLook} !w-auto`}
          value={to}
          onChange={(e) => {
            setTo(e.target.value);
            plan.reset();
          }}
        >
          <option value="">
            <Trans>Choose someone…</Trans>
          </option>
          {people
            .filter((p) => p.active && p.role !== "reader")
            .map((p) => (
              <option key={p.name} value={p.name}>
                {p.full_name}
              </option>
            ))}
        </select>
      </div>
    </PlanForm>
  );
}
