import { useState } from "react";
import { toast } from "sonner";
import { useLibrary, useSetLibrary, type Library } from "../../data/library";
import { setZone } from "../../data/times";
import { Button, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";

/** What the library is called, and where its clocks are. */
export function LibraryPage() {
  return (
    <div className="max-w-[560px]">
      <h1 className="mb-5 text-title max-sm:text-head">Library</h1>
      <LibraryForm done={() => toast.success("Saved")} />
    </div>
  );
}

export function LibraryForm({ done }: { done: () => void }) {
  const library = useLibrary();
  if (library.error) return <Trouble error={library.error} title="The settings cannot be shown" />;
  if (!library.data) return <Waiting lines={3} />;
  return <Form key={library.data.etag} etag={library.data.etag} library={library.data.data} done={done} />;
}

function Form({ etag, library, done }: { etag: string; library: Library; done: () => void }) {
  const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const [name, setName] = useState(library.name);
  const [zone, setZoneName] = useState(library.zone === "UTC" && !library.name ? own : library.zone);
  const [idle, setIdle] = useState(library.idle_hours ?? 12);
  const [days, setDays] = useState(library.session_days ?? 30);
  const set = useSetLibrary();
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate(
          { etag, library: { name, zone, idle_hours: idle, session_days: days } },
          {
            onSuccess: () => {
              setZone(zone);
              done();
            },
          },
        );
      }}
    >
      <Trouble error={set.error} title="It stays as it was" />
      <Field id="library-name" label="Name" hint="As on the sign-in page, for instance the company’s name.">
        <input
          id="library-name"
          required
          className={fieldLook}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
      </Field>
      <Field
        id="library-zone"
        label="Time zone"
        hint="Days begin in it, and all times are shown in it, wherever one reads."
      >
        <select
          id="library-zone"
          className={fieldLook}
          value={zone}
          onChange={(e) => setZoneName(e.target.value)}
        >
          {[...new Set([zone, "UTC", ...Intl.supportedValuesOf("timeZone")])].map((z) => (
            <option key={z}>{z}</option>
          ))}
        </select>
      </Field>
      <Field
        id="library-idle"
        label="Hours until an unused session ends"
        hint="In a browser; commands and applications stay signed in."
      >
        <input
          id="library-idle"
          type="number"
          min={1}
          max={720}
          required
          className={fieldLook}
          value={idle}
          onChange={(e) => setIdle(e.target.valueAsNumber)}
        />
      </Field>
      <Field id="library-days" label="Days until any session ends">
        <input
          id="library-days"
          type="number"
          min={1}
          max={366}
          required
          className={fieldLook}
          value={days}
          onChange={(e) => setDays(e.target.valueAsNumber)}
        />
      </Field>
      <Button type="submit" weight="main" className="self-start" disabled={set.isPending}>
        Save
      </Button>
    </form>
  );
}
