import { useState, type ReactNode } from "react";
import type { NewConnection } from "../../data/connections";
import { useLabels } from "../../data/hooks";
import { Button, Field, fieldLook } from "../../parts/basics";
import { SomeOf } from "../../parts/someof";

interface FormProps {
  start: NewConnection;
  save: (connection: NewConnection) => void;
  trouble: ReactNode;
  button: string;
  busy: boolean;
}

const numbers = [
  ["at_once", "Calls at once"],
  ["tokens_minute", "Tokens a minute (0: no limit)"],
  ["first_seconds", "Seconds until a reply begins"],
  ["whole_seconds", "Seconds for a whole reply"],
] as const;

/** Where models answer, which, how much of them is asked and what they may be sent. */
export function ConnectionForm({ start, save, trouble, button, busy }: FormProps) {
  const [form, setForm] = useState(() => formOf(start));
  const [unread, setUnread] = useState("");
  const facets = useLabels().data ?? [];
  const terms = (facet: string) => facets.find((f) => f.name === facet)?.terms ?? [];
  const change = (more: Partial<NewConnection>) => setForm({ ...form, ...more });
  const toggle = (all: string[] | undefined, name: string, on: boolean) =>
    on ? [...(all ?? []), name] : (all ?? []).filter((n) => n !== name);
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        try {
          const mapping = form.mappingText.trim()
            ? (JSON.parse(form.mappingText) as NewConnection["mapping"])
            : undefined;
          const { mappingText: _, ...body } = form;
          setUnread("");
          // A secret that is not named anew stays only where the address leads to the same place.
          const kept = start.secret !== undefined && form.secret === start.secret;
          save({ ...body, ...(kept && { secret: undefined, keep_secret: true }), mapping });
        } catch (error) {
          setUnread(`The mapping is no JSON: ${(error as Error).message}`);
        }
      }}
    >
      {trouble}
      <Field id="connection-title" label="What is it called?">
        <input
          id="connection-title"
          required
          className={fieldLook}
          value={form.title}
          onChange={(e) => change({ title: e.target.value })}
        />
      </Field>
      <Field
        id="connection-address"
        label="Address"
        hint="As https://models.example/v1. Addresses inside the network are allowed by name, where the service is started."
      >
        <input
          id="connection-address"
          required
          className={fieldLook}
          value={form.address}
          onChange={(e) => change({ address: e.target.value })}
        />
      </Field>
      <Field
        id="connection-secret"
        label="Its secret is kept as"
        hint="A variable GOLDSHELF_SECRET_… of the service, or a file in its --secrets-dir. The secret itself is never typed here."
      >
        <input
          id="connection-secret"
          className={fieldLook}
          value={form.secret ?? ""}
          onChange={(e) => change({ secret: e.target.value || undefined })}
        />
      </Field>
      <SomeOf
        title="Models that it serves"
        of={terms("model")}
        chosen={form.models ?? []}
        toggle={(name, on) => change({ models: toggle(form.models, name, on) })}
      />
      <div className="grid grid-cols-2 gap-x-4 gap-y-3">
        {numbers.map(([name, label]) => (
          <Field key={name} id={`connection-${name}`} label={label}>
            <input
              id={`connection-${name}`}
              type="number"
              className={fieldLook}
              value={form[name] ?? ""}
              onChange={(e) => change({ [name]: e.target.value === "" ? undefined : Number(e.target.value) })}
            />
          </Field>
        ))}
      </div>
      <SomeOf
        title="Only entries of (none: all)"
        of={terms("department")}
        chosen={form.departments ?? []}
        toggle={(name, on) => change({ departments: toggle(form.departments, name, on) })}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-gold"
          checked={form.no_personal ?? false}
          onChange={(e) => change({ no_personal: e.target.checked || undefined })}
        />
        It may not be sent personal data or secrets
      </label>
      <Field
        id="connection-mapping"
        label="Mapping, in JSON"
        hint="Where in its requests and answers ours stand. Empty: it speaks our own protocol."
      >
        <textarea
          id="connection-mapping"
          rows={form.mappingText ? 10 : 2}
          className={`${fieldLook} font-mono text-small`}
          value={form.mappingText}
          onChange={(e) => setForm({ ...form, mappingText: e.target.value })}
        />
      </Field>
      {unread && (
        <p role="alert" className="text-stop">
          {unread}
        </p>
      )}
      <Button type="submit" weight="main" disabled={busy}>
        {button}
      </Button>
    </form>
  );
}

/** What the form begins with: of a connection that is there only what can be changed. */
function formOf(start: NewConnection): NewConnection & { mappingText: string } {
  return {
    title: start.title,
    address: start.address,
    secret: start.secret,
    models: start.models,
    at_once: start.at_once,
    tokens_minute: start.tokens_minute,
    first_seconds: start.first_seconds,
    whole_seconds: start.whole_seconds,
    departments: start.departments,
    no_personal: start.no_personal,
    mappingText: start.mapping ? JSON.stringify(start.mapping, null, 2) : "",
  };
}
