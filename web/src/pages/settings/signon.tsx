import { roleWords } from "../../data/words";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useSetSignOnGroups, useSignOnGroups, type SignOnGroups } from "../../data/account";
import { useLabels, useWelcome } from "../../data/hooks";
import { Button, Empty, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { OneOf } from "../../parts/oneof";

const roles = ["", "reader", "contributor", "reviewer", "curator"] as const;
type Group = SignOnGroups["items"][number];

/** What the groups of the company's provider mean here. */
export function SignOnPage() {
  const groups = useSignOnGroups();
  const name = useWelcome().data?.sign_on;
  if (groups.error) return <Trouble error={groups.error} title={t`The groups cannot be shown`} />;
  if (!groups.data) return <Waiting />;
  return (
    <>
      <header className="mb-5">
        <h1 className="text-title max-sm:text-head">
          <Trans>Sign-on</Trans>
        </h1>
        <p className="text-faded">
          {name
            ? t`People come in by ${name}. What its groups mean holds from their next sign-on.`
            : t`This service has no sign-on. Whoever runs it tells it of the company’s by --oidc-issuer.`}
        </p>
      </header>
      <Groups key={groups.data.number} now={groups.data} />
    </>
  );
}

function Groups({ now }: { now: SignOnGroups }) {
  const [items, setItems] = useState<Group[]>(now.items);
  const [only, setOnly] = useState(now.only);
  const set = useSetSignOnGroups();
  const change = (at: number, to: Partial<Group>) =>
    setItems(items.map((g, i) => (i === at ? { ...g, ...to } : g)));
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate({ items, only, number: now.number }, { onSuccess: () => toast.success(t`Saved`) });
      }}
    >
      {items.length === 0 && (
        <Empty title={t`No group means anything yet`}>
          <Trans>Everyone who comes in is a reader.</Trans>
        </Empty>
      )}
      <ol className="flex flex-col gap-3">
        {items.map((g, i) => (
          <GroupRow
            key={i}
            g={g}
            at={i}
            change={(to) => change(i, to)}
            remove={() => setItems(items.filter((_, j) => j !== i))}
          />
        ))}
      </ol>
      <Button
        type="button"
        className="self-start"
        onClick={() => setItems([...items, { group: "", role: "contributor" }])}
      >
        <Trans>Add a group</Trans>
      </Button>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="size-4 accent-gold"
          checked={only}
          onChange={(e) => setOnly(e.target.checked)}
        />
        <Trans>Only people in one of these groups come in</Trans>
      </label>
      <p className="text-small text-faded">
        <Trans>
          Of several groups the highest role holds, and the first department. Who is in none is a reader.
        </Trans>
      </p>
      <Trouble error={set.error} />
      <Button type="submit" weight="main" className="self-start" disabled={set.isPending}>
        <Trans>Save</Trans>
      </Button>
    </form>
  );
}

function GroupRow(props: { g: Group; at: number; change: (to: Partial<Group>) => void; remove: () => void }) {
  const { g, at, change, remove } = props;
  const departments = useLabels().data?.find((f) => f.name === "department")?.terms ?? [];
  return (
    <li className="grid items-end gap-3 border-b border-line pb-3 sm:grid-cols-[1fr_10rem_16rem_auto]">
      <Field id={`group-${at}`} label={t`Group`}>
        <input
          id={`group-${at}`}
          className={fieldLook}
          value={g.group}
          onChange={(e) => change({ group: e.target.value })}
          required
        />
      </Field>
      <Field id={`group-role-${at}`} label={t`Role`}>
        <select
          id={`group-role-${at}`}
          className={fieldLook}
          value={g.role ?? ""}
          onChange={(e) => change({ role: (e.target.value || undefined) as Group["role"] })}
        >
          {roles.map((r) => (
            <option key={r} value={r}>
              {r ? roleWords[r] : t`none`}
            </option>
          ))}
        </select>
      </Field>
      <Field id={`group-department-${at}`} label={t`Department`}>
        <OneOf
          id={`group-department-${at}`}
          value={g.department ?? ""}
          none={t`none`}
          of={departments.filter((t) => !t.retired).map((t) => ({ name: t.name, title: t.title }))}
          set={(name) => change({ department: name || undefined })}
        />
      </Field>
      <Button type="button" weight="text" onClick={remove}>
        <Trans>Remove</Trans>
        <span className="sr-only">
          <Trans>the group {g.group}</Trans>
        </span>
      </Button>
    </li>
  );
}
