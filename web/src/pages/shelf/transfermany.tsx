import { useState } from "react";
import { toast } from "sonner";
import { readAllSlugs, type Narrowing } from "../../data/hooks";
import { usePeople, usePlanTransfer, useTransferMany } from "../../data/people";
import { Button, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** For curators: another owner for all that a search finds, with what will change shown first. */
export function TransferMany({ total, narrowing }: { total: number; narrowing: Narrowing }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button weight="text" className="text-small" onClick={() => setOpen(true)}>
        Transfer these {total}…
      </Button>
      <Dialog open={open} onOpen={setOpen} title={`Transfer ${total} entries`} wide>
        <Form narrowing={narrowing} done={() => setOpen(false)} />
      </Dialog>
    </>
  );
}

function Form({ narrowing, done }: { narrowing: Narrowing; done: () => void }) {
  const people = usePeople().data?.items ?? [];
  const [to, setTo] = useState("");
  const [slugs, setSlugs] = useState<string[]>([]);
  const [error, setError] = useState<unknown>(null);
  const plan = usePlanTransfer();
  const transfer = useTransferMany();
  const show = async () => {
    try {
      setError(null);
      const all = await readAllSlugs(narrowing);
      setSlugs(all);
      plan.mutate({ slugs: all, to });
    } catch (e) {
      setError(e);
    }
  };
  const carryOut = () =>
    transfer.mutate(
      { slugs, to, digest: plan.data?.digest },
      {
        onSuccess: (out) => {
          toast.success(`${out.done.length + out.offered.length} transferred`);
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
      <Trouble error={error ?? plan.error ?? transfer.error} title="Nothing was changed" />
      <div className="flex flex-wrap gap-3">
        <select
          aria-label="Who answers for them from now on"
          required
          className={`${fieldLook} !w-auto`}
          value={to}
          onChange={(e) => {
            setTo(e.target.value);
            plan.reset();
          }}
        >
          <option value="">Choose someone…</option>
          {people
            .filter((p) => p.active && p.role !== "reader")
            .map((p) => (
              <option key={p.name} value={p.name}>
                {p.full_name}
              </option>
            ))}
        </select>
        <Button type="submit" disabled={!to || plan.isPending}>
          Preview
        </Button>
      </div>
      {plan.data && (
        <div aria-live="polite">
          <p className="mb-2">
            {plan.data.items.length} will change hands
            {plan.data.same > 0 && `, ${plan.data.same} are theirs already`}.
          </p>
          <ul
            className="max-h-[40vh] divide-y divide-line overflow-auto"
            tabIndex={0}
            aria-label="What will change"
          >
            {plan.data.items.map((i) => (
              <li key={i.slug} className="py-1">
                <span className="font-semibold">{i.title}</span>{" "}
                <span className="text-small text-faded">
                  {people.find((p) => p.name === i.owner)?.full_name ?? i.owner} →{" "}
                  {people.find((p) => p.name === to)?.full_name ?? to}
                </span>
              </li>
            ))}
          </ul>
        </div>
      )}
      {plan.data && plan.data.items.length > 0 && (
        <Button weight="main" className="self-start" disabled={transfer.isPending} onClick={carryOut}>
          Transfer {plan.data.items.length}
        </Button>
      )}
    </form>
  );
}
