import { roleWords } from "../../data/words";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useLabels } from "../../data/hooks";
import { useAddPerson } from "../../data/people";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { OneOf } from "../../parts/oneof";
import { PasswordLinks } from "./passwordlinks";

export const roles = ["reader", "contributor", "reviewer", "curator"] as const;
export type Role = (typeof roles)[number];

/** Adds someone to the library, and shows the link by which they set a password. */
export function NewPerson() {
  const departments = useLabels().data?.find((f) => f.name === "department")?.terms ?? [];
  const [person, set] = useState({
    name: "",
    full_name: "",
    department: "",
    role: "contributor" as Role,
  });
  const add = useAddPerson();
  if (add.data) return <PasswordLinks links={[add.data]} />;
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate(
          { ...person, department: person.department || undefined },
          { onSuccess: (p) => toast.success(t`${p.person.full_name} is in the library`) },
        );
      }}
    >
      <Trouble error={add.error} title={t`Nobody was added`} />
      <Field id="person-full-name" label={t`Full name`}>
        <input
          id="person-full-name"
          required
          className={fieldLook}
          value={person.full_name}
          onChange={(e) => set({ ...person, full_name: e.target.value })}
        />
      </Field>
      <Field
        id="person-name"
        label={t`Name to sign in with`}
        hint={t`Lower-case letters, digits, dots and hyphens.`}
      >
        <input
          id="person-name"
          required
          className={fieldLook}
          value={person.name}
          onChange={(e) => set({ ...person, name: e.target.value })}
        />
      </Field>
      <Field id="person-role" label={t`Role`}>
        <select
          id="person-role"
          className={fieldLook}
          value={person.role}
          onChange={(e) => set({ ...person, role: e.target.value as Role })}
        >
          {roles.map((r) => (
            <option key={r} value={r}>
              {roleWords[r]}
            </option>
          ))}
        </select>
      </Field>
      <Field id="person-department" label={t`Department`}>
        <OneOf
          id="person-department"
          value={person.department}
          set={(department) => set({ ...person, department })}
          none="none"
          of={departments}
        />
      </Field>
      <Button type="submit" weight="main" disabled={add.isPending}>
        <Trans>Add person</Trans>
      </Button>
    </form>
  );
}
