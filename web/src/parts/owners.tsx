import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Entry } from "../data/api";
import { useLabels } from "../data/hooks";
import { usePeople, useSetOwners } from "../data/people";
import { Button, Field, Trouble } from "./basics";
import { Dialog } from "./dialog";
import { OneOf } from "./oneof";

/** Says who stands in for an entry's owner, and which department it belongs to. */
export function Owners({ entry }: { entry: Entry }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button weight="text" onClick={() => setOpen(true)}>
        <Trans>Deputy and department</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Who stands in, and where it belongs`}>
        <Choose entry={entry} done={() => setOpen(false)} />
      </Dialog>
    </>
  );
}

function Choose({ entry, done }: { entry: Entry; done: () => void }) {
  const [deputy, setDeputy] = useState(entry.deputy ?? "");
  const [department, setDepartment] = useState(entry.department ?? "");
  const people = usePeople().data?.items ?? [];
  const departments = useLabels().data?.find((f) => f.name === "department")?.terms ?? [];
  const keep = useSetOwners(entry.slug);
  const others = people
    .filter((p) => p.active && p.role !== "reader" && p.name !== entry.owner)
    .map((p) => ({ name: p.name, title: p.full_name }));
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate(
          { deputy, department },
          {
            onSuccess: () => {
              done();
              toast.success(t`It is kept so from now on`);
            },
          },
        );
      }}
    >
      <Trouble error={keep.error} title={t`It stays as it was`} />
      <Field id="deputy" label={t`Deputy of ${entry.owner_name}`} hint={t`May do all that the owner may.`}>
        <OneOf id="deputy" value={deputy} set={setDeputy} none="nobody" of={others} />
      </Field>
      <Field
        id="department"
        label={t`Department`}
        hint={t`Whose figures it counts in, and whose followers hear of it.`}
      >
        <OneOf id="department" value={department} set={setDepartment} none={t`none`} of={departments} />
      </Field>
      <Button type="submit" weight="main" disabled={keep.isPending}>
        <Trans>Save</Trans>
      </Button>
    </form>
  );
}
