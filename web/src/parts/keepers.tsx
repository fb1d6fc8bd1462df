import { useState } from "react";
import { toast } from "sonner";
import type { Entry } from "../data/api";
import { useLabels } from "../data/hooks";
import { usePeople, useSetKeepers } from "../data/keeping";
import { Button, Dialog, Field, fieldLook, Trouble } from "./basics";

/** Says who stands in for an entry's owner, and which department it belongs to. */
export function Keepers({ entry }: { entry: Entry }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button weight="text" onClick={() => setOpen(true)}>
        Deputy and department
      </Button>
      <Dialog open={open} onOpen={setOpen} title="Who stands in, and where it belongs">
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
  const keep = useSetKeepers(entry.slug);
  const others = people.filter((p) => p.active && p.role !== "reader" && p.name !== entry.owner);
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
              toast.success("It is kept so from now on");
            },
          },
        );
      }}
    >
      <Trouble error={keep.error} title="It stays as it was" />
      <Field id="deputy" label={`Deputy of ${entry.owner_name}`} hint="May do all that the owner may.">
        <select id="deputy" className={fieldLook} value={deputy} onChange={(e) => setDeputy(e.target.value)}>
          <option value="">nobody</option>
          {others.map((p) => (
            <option key={p.name} value={p.name}>
              {p.full_name}
            </option>
          ))}
        </select>
      </Field>
      <Field
        id="department"
        label="Department"
        hint="Whose figures it counts in, and whose followers hear of it."
      >
        <select
          id="department"
          className={fieldLook}
          value={department}
          onChange={(e) => setDepartment(e.target.value)}
        >
          <option value="">none</option>
          {departments.map((d) => (
            <option key={d.name} value={d.name}>
              {d.title}
            </option>
          ))}
        </select>
      </Field>
      <Button type="submit" weight="main" disabled={keep.isPending}>
        Keep it
      </Button>
    </form>
  );
}
