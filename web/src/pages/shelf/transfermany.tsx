import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Narrowing } from "../../data/hooks";
import { usePeople, usePlanTransfer, useTransferMany } from "../../data/people";
import { Button, fieldLook, Trouble } from "../../parts/basics";
import { Changes, Many, useAllFound } from "./many";

/** For curators: another owner for all that a search finds, with what will change shown first. */
export function TransferMany({ total, narrowing }: { total: number; narrowing: Narrowing }) {
  return (
    <Many what={t`Transfer`} total={total}>
      {(done) => <Form narrowing={narrowing} done={done} />}
    </Many>
  );
}

function Form({ narrowing, done }: { narrowing: Narrowing; done: () => void }) {
  const people = usePeople().data?.items ?? [];
  const [to, setTo] = useState("");
  const found = useAllFound(narrowing);
  const called = (name: string) => people.find((p) => p.name === name)?.full_name ?? name;
  const plan = usePlanTransfer();
  const transfer = useTransferMany();
  const carryOut = () =>
    transfer.mutate(
      { slugs: found.slugs, to, digest: plan.data?.digest },
      {
        onSuccess: (out) => {
          toast.success(t`${out.done.length + out.offered.length} transferred`);
          done();
        },
      },
    );
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        void found.plan((slugs) => plan.mutate({ slugs, to }));
      }}
    >
      <Trouble error={found.error ?? plan.error ?? transfer.error} title={t`Nothing was changed`} />
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
        <Button type="submit" disabled={!to || plan.isPending}>
          <Trans>Preview</Trans>
        </Button>
      </div>
      {plan.data && (
        <Changes
          says={t`${plan.data.items.length} will change hands${plan.data.same > 0 ? t`, ${plan.data.same} are theirs already` : ""}.`}
          items={plan.data.items.map((i) => ({ ...i, from: called(i.owner), to: called(to) }))}
        />
      )}
      {plan.data && plan.data.items.length > 0 && (
        <Button weight="main" className="self-start" disabled={transfer.isPending} onClick={carryOut}>
          <Trans>Transfer {plan.data.items.length}</Trans>
        </Button>
      )}
    </form>
  );
}
