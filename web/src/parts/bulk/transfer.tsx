import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { usePeople, useGiveBack, planTransfer, useTransferMany } from "../../data/people";
import { Button, fieldLook, Trouble } from "../basics";
import { Changes, saidBack, usePlan, type Entries } from "./plan";

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
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        plan.begin();
      }}
    >
      <Trouble error={plan.error ?? transfer.error} title={t`Nothing was changed`} />
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
        <Button type="submit" disabled={!to}>
          <Trans>Preview</Trans>
        </Button>
      </div>
      {plan.shown && (
        <Changes
          says={t`${plan.shown.items.length} will change hands${plan.shown.same > 0 ? t`, ${plan.shown.same} are theirs already` : ""}.`}
          items={plan.shown.items.map((i) => ({ ...i, says: `${called(i.owner)} → ${called(to)}` }))}
          leaveOut={plan.leaveOut}
        />
      )}
      {plan.shown && plan.shown.items.length > 0 && (
        <Button weight="main" className="self-start" disabled={transfer.isPending} onClick={carryOut}>
          <Trans>Transfer {plan.shown.items.length}</Trans>
        </Button>
      )}
    </form>
  );
}
