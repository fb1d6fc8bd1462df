import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useBegun } from "../../data/begun";
import { useLibrary, useSetLibrary, type Keep, type Library } from "../../data/library";
import { setZone } from "../../data/times";
import { Button, ChangedSince, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";

/** What the library is called, and where its clocks are. */
export function LibraryPage() {
  return (
    <div className="max-w-[560px]">
      <h1 className="mb-5 text-title max-sm:text-head">
        <Trans>Library</Trans>
      </h1>
      <LibraryForm done={() => toast.success(t`Saved`)} />
    </div>
  );
}

/** At the beginning it asks for what a library needs, and leaves the rest as it is. */
export function LibraryForm({ done, beginning }: { done: () => void; beginning?: boolean }) {
  const library = useLibrary();
  if (library.error) return <Trouble error={library.error} title={t`The settings cannot be shown`} />;
  if (!library.data) return <Waiting lines={3} />;
  return <Form read={library.data} done={done} beginning={beginning} />;
}

interface Read {
  data: Library;
  etag: string;
}

/** What the form begins with: a library without a name is in the zone of whoever names it. */
function fieldsOf({ data }: Read) {
  const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
  return {
    name: data.name,
    zone: data.zone === "UTC" && !data.name ? own : data.zone,
    idle_hours: data.idle_hours ?? 12,
    session_days: data.session_days ?? 30,
    keep: data.keep ?? {},
  };
}

const kept = [
  ["talks", t`Tries`, t`That nobody keeps, and runs of relays, since they were last asked.`],
  ["missed_searches", t`Searches without result`, t`What was typed, and never by whom.`],
  ["uses", t`Uses`, t`That an entry was used, by a number that stands for a person.`],
  ["news", t`News`, t`What people and channels were told.`],
] as const;

function Kept({ keep, change }: { keep: Keep; change: (keep: Keep) => void }) {
  return (
    <fieldset className="grid gap-4 sm:grid-cols-2">
      <legend className="mb-2">
        <h2 className="text-head">
          <Trans>For how many days it is kept</Trans>
        </h2>
      </legend>
      {kept.map(([what, title, hint]) => (
        <Field key={what} id={`library-${what}`} label={title} hint={hint}>
          <input
            id={`library-${what}`}
            type="number"
            min={1}
            max={3650}
            required
            className={fieldLook}
            value={keep[what] ?? ""}
            onChange={(e) => change({ ...keep, [what]: e.target.valueAsNumber })}
          />
        </Field>
      ))}
    </fieldset>
  );
}

function Form({ read, done, beginning }: { read: Read; done: () => void; beginning?: boolean }) {
  const { begun, begin, moved } = useBegun(read);
  const [fields, setFields] = useState(() => fieldsOf(begun));
  const set = useSetLibrary();
  const start = (from: Read) => {
    begin(from);
    setFields(fieldsOf(from));
  };
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate(
          { etag: begun.etag, library: fields },
          {
            onSuccess: (now) => {
              start(now);
              setZone(fields.zone);
              done();
            },
          },
        );
      }}
    >
      <Trouble error={set.error} title={t`It stays as it was`} />
      <ChangedSince
        moved={moved}
        begin={() => {
          start(read);
          set.reset();
        }}
      />
      <Field
        id="library-name"
        label={t`Name`}
        hint={t`As on the sign-in page, for instance the company’s name.`}
      >
        <input
          id="library-name"
          required
          className={fieldLook}
          value={fields.name}
          onChange={(e) => setFields({ ...fields, name: e.target.value })}
        />
      </Field>
      <Field
        id="library-zone"
        label={t`Time zone`}
        hint={t`Days begin in it, and all times are shown in it, wherever one reads.`}
      >
        <select
          id="library-zone"
          className={fieldLook}
          value={fields.zone}
          onChange={(e) => setFields({ ...fields, zone: e.target.value })}
        >
          {[...new Set([fields.zone, "UTC", ...Intl.supportedValuesOf("timeZone")])].map((z) => (
            <option key={z} translate="no">
              {z}
            </option>
          ))}
        </select>
      </Field>
      <Field
        id="library-idle"
        label={t`Hours until an unused session ends`}
        hint={t`In a browser; commands and applications stay signed in.`}
      >
        <input
          id="library-idle"
          type="number"
          min={1}
          max={720}
          required
          className={fieldLook}
          value={fields.idle_hours}
          onChange={(e) => setFields({ ...fields, idle_hours: e.target.valueAsNumber })}
        />
      </Field>
      <Field id="library-days" label={t`Days until any session ends`}>
        <input
          id="library-days"
          type="number"
          min={1}
          max={366}
          required
          className={fieldLook}
          value={fields.session_days}
          onChange={(e) => setFields({ ...fields, session_days: e.target.valueAsNumber })}
        />
      </Field>
      {!beginning && <Kept keep={fields.keep} change={(keep) => setFields({ ...fields, keep })} />}
      <Button type="submit" weight="main" className="self-start" disabled={set.isPending}>
        <Trans>Save</Trans>
      </Button>
    </form>
  );
}
