import { useState } from "react";
import { toast } from "sonner";
import { useTransfer, useTransferAll, usePeople } from "../data/people";
import { Button, Field, Trouble } from "./basics";
import { Dialog } from "./dialog";
import { OneOf } from "./oneof";

/** Has someone else answer for an entry, or for all that a person owns. */
export function Transfer({ slug, allOf, quiet }: { slug?: string; allOf?: string; quiet?: boolean }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button
        weight={quiet ? "text" : "quiet"}
        className={quiet ? "" : "!py-1.5"}
        onClick={() => setOpen(true)}
      >
        {allOf ? "Transfer all" : "Transfer"}
      </Button>
      <Dialog open={open} onOpen={setOpen} title={allOf ? "Transfer all that they own" : "Transfer"}>
        <Choose slug={slug} allOf={allOf} done={() => setOpen(false)} />
      </Dialog>
    </>
  );
}

function Choose({ slug = "", allOf, done }: { slug?: string; allOf?: string; done: () => void }) {
  const [to, setTo] = useState("");
  const people = usePeople().data?.items ?? [];
  const one = useTransfer(slug);
  const all = useTransferAll();
  const handing = allOf ? all : one;
  const owners = people
    .filter((p) => p.active && p.role !== "reader" && p.name !== allOf)
    .map((p) => ({
      name: p.name,
      title: p.full_name + (p.away_from ? ` (away until ${p.away_until})` : ""),
    }));
  const told = {
    onSuccess: (out: { done: string[]; offered: string[] }) => {
      done();
      const name = people.find((p) => p.name === to)?.full_name ?? to;
      const n = out.done.length + out.offered.length;
      const what = n === 1 ? "It" : `${n} entries`;
      toast.success(
        out.offered.length
          ? `${what} waits for ${name} to accept`
          : `${name} answers for ${n === 1 ? "it" : what} now`,
      );
    },
  };
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (allOf) all.mutate({ from: allOf, to }, told);
        else one.mutate(to, told);
      }}
    >
      <Trouble error={handing.error} title="It stays where it is" />
      <Field id="to" label="Who answers for it from now on?">
        <OneOf id="to" required value={to} set={setTo} none="choose someone" of={owners} />
      </Field>
      <Button type="submit" weight="main" disabled={handing.isPending}>
        Transfer
      </Button>
    </form>
  );
}
