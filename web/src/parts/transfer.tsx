import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
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
        {allOf ? t`Transfer all` : t`Transfer`}
      </Button>
      <Dialog open={open} onOpen={setOpen} title={allOf ? t`Transfer all that they own` : t`Transfer`}>
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
      title: p.full_name + (p.away_from ? t` (away until ${p.away_until ?? ""})` : ""),
    }));
  const told = {
    onSuccess: (out: { done: string[]; offered: string[] }) => {
      done();
      const name = people.find((p) => p.name === to)?.full_name ?? to;
      const n = out.done.length + out.offered.length;
      toast.success(
        out.offered.length
          ? plural(n, {
              one: `It waits for ${name} to accept`,
              other: `# entries wait for ${name} to accept`,
            })
          : plural(n, { one: `${name} answers for it now`, other: `${name} answers for # entries now` }),
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
      <Trouble error={handing.error} title={t`It stays where it is`} />
      <Field id="to" label={t`Who answers for it from now on?`}>
        <OneOf id="to" required value={to} set={setTo} none={t`choose someone`} of={owners} />
      </Field>
      <Button type="submit" weight="main" disabled={handing.isPending}>
        <Trans>Transfer</Trans>
      </Button>
    </form>
  );
}
