import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useLabels } from "../../data/hooks";
import { useAddKey, useRenewKey, useSetKey, type Key } from "../../data/keys";
import { timeWords } from "../../data/times";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { SomeOf } from "../../parts/someof";

const inAYear = () => {
  const day = new Date();
  day.setFullYear(day.getFullYear() + 1);
  return day.toISOString().slice(0, 10);
};

/** What a key may do; of a new one its secret, this once. */
export function KeyForm({ of, done }: { of?: Key; done: () => void }) {
  const departments = useLabels().data?.find((f) => f.name === "department")?.terms ?? [];
  const [name, setName] = useState("");
  const [may, setMay] = useState<string[]>(of?.may ?? ["read", "fill"]);
  const [within, setWithin] = useState<string[]>(of?.departments ?? []);
  const [perMinute, setPerMinute] = useState(String(of?.per_minute ?? 600));
  const [until, setUntil] = useState(of ? of.until.slice(0, 10) : inAYear());
  const add = useAddKey();
  const set = useSetKey();
  if (add.data) return <Secret name={add.data.name} secret={add.data.secret} />;
  const body = {
    may: may as Key["may"],
    departments: within,
    per_minute: Number(perMinute),
    until: of && until === of.until.slice(0, 10) ? of.until : `${until}T00:00:00Z`,
  };
  const toggled = (all: string[], name: string, on: boolean) =>
    on ? [...all, name] : all.filter((n) => n !== name);
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        if (!of) add.mutate({ name, ...body });
        else
          set.mutate(
            { key: of, body },
            {
              onSuccess: () => {
                toast.success(t`Saved`);
                done();
              },
            },
          );
      }}
    >
      {!of && (
        <Field id="key-name" label={t`Name`} hint={t`Of the application, as weir-mail.`}>
          <input
            id="key-name"
            className={fieldLook}
            value={name}
            onChange={(e) => setName(e.target.value)}
            required
          />
        </Field>
      )}
      <SomeOf
        title={t`It may`}
        of={[
          { name: "read", title: t`read the shelf` },
          { name: "fill", title: t`fill entries in` },
          { name: "watch", title: t`watch the service` },
          { name: "provision", title: t`keep people and groups (SCIM)` },
        ]}
        chosen={may}
        toggle={(name, on) => setMay(toggled(may, name, on))}
      />
      <SomeOf
        title={t`Only what is of these departments`}
        of={departments.filter((t) => !t.retired).map((t) => ({ name: t.name, title: t.title }))}
        chosen={within}
        toggle={(name, on) => setWithin(toggled(within, name, on))}
      />
      <p className="-mt-2 text-small text-faded">
        <Trans>None stands for everything on the shelf.</Trans>
      </p>
      <Field id="key-minute" label={t`Calls a minute`}>
        <input
          id="key-minute"
          className={fieldLook}
          type="number"
          min={1}
          max={1000000}
          value={perMinute}
          onChange={(e) => setPerMinute(e.target.value)}
          required
        />
      </Field>
      <Field id="key-until" label={t`It ends on`}>
        <input
          id="key-until"
          className={fieldLook}
          type="date"
          value={until}
          onChange={(e) => setUntil(e.target.value)}
          required
        />
      </Field>
      <Trouble error={add.error ?? set.error} />
      <Button
        type="submit"
        weight="main"
        className="self-start"
        disabled={add.isPending || set.isPending || may.length === 0}
      >
        {of ? t`Save` : t`Add the key`}
      </Button>
    </form>
  );
}

/** Another secret for a key, while the one before is still good for some days. */
export function RenewForm({ of }: { of: Key }) {
  const [overlap, setOverlap] = useState("7");
  const renew = useRenewKey();
  if (renew.data) return <Secret name={of.name} secret={renew.data.secret} oldUntil={renew.data.old_until} />;
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        renew.mutate({ name: of.name, overlap: Number(overlap) });
      }}
    >
      <p>
        <Trans>
          The key gets another secret. Both are good for a while, so that {of.name} can be changed without a
          gap.
        </Trans>
      </p>
      <Field id="key-overlap" label={t`Days that the old secret stays good`}>
        <input
          id="key-overlap"
          className={fieldLook}
          type="number"
          min={0}
          max={90}
          value={overlap}
          onChange={(e) => setOverlap(e.target.value)}
          required
        />
      </Field>
      <Trouble error={renew.error} />
      <Button type="submit" weight="main" className="self-start" disabled={renew.isPending}>
        <Trans>Renew</Trans>
      </Button>
    </form>
  );
}

function Secret({ name, secret, oldUntil }: { name: string; secret: string; oldUntil?: string }) {
  return (
    <section aria-label={t`The secret`} className="flex flex-col gap-3">
      <p>
        <Trans>
          <b>The secret of {name}. It is shown this once.</b> The application sends it as{" "}
          <code className="font-mono text-small">Authorization: Bearer …</code>
        </Trans>
      </p>
      <code className="rounded-card border border-line bg-leaf px-3 py-2 font-mono text-small break-all">
        {secret}
      </code>
      {oldUntil && (
        <p className="text-faded">
          <Trans>The one before is good until {timeWords(oldUntil)}.</Trans>
        </p>
      )}
      <Button
        className="self-start"
        onClick={() =>
          void navigator.clipboard.writeText(secret).then(
            () => toast.success(t`Copied`),
            () => toast.error(t`It could not be copied: mark it, and copy it by hand`),
          )
        }
      >
        <Trans>Copy</Trans>
      </Button>
    </section>
  );
}
