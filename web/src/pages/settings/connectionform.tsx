import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState, type ReactNode } from "react";
import type { NewConnection } from "../../data/connections";
import { useLabels } from "../../data/hooks";
import { Button, Field, fieldLook } from "../../parts/basics";
import { SomeOf } from "../../parts/someof";

interface FormProps {
  start: NewConnection & { secret_kept?: boolean };
  save: (connection: NewConnection) => void;
  trouble: ReactNode;
  button: string;
  busy: boolean;
}

type Form = NewConnection & { mappingText: string; sampleText: string; secretValue: string };

const numbers = [
  ["at_once", t`Calls at once`],
  ["tokens_minute", t`Tokens a minute (0: no limit)`],
  ["first_seconds", t`Seconds until a reply begins`],
  ["whole_seconds", t`Seconds for a whole reply`],
] as const;

/** Where models answer, which, how much of them is asked and what they may be sent. */
export function ConnectionForm({ start, save, trouble, button, busy }: FormProps) {
  const [form, setForm] = useState(() => formOf(start));
  const [unread, setUnread] = useState("");
  const sealed = start.secret_kept ?? false;
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
          const { mappingText, sampleText, secretValue, ...body } = form;
          const mapping = mappingOf(mappingText, sampleText);
          setUnread("");
          // A secret that is not named anew stays only where the address leads to the same place.
          const kept = start.secret !== undefined && form.secret === start.secret;
          const same = secretValue === "" && (kept || (sealed && form.secret === undefined));
          save({
            ...body,
            ...(same && { secret: undefined, keep_secret: true }),
            ...(secretValue !== "" && { secret_value: secretValue }),
            mapping,
          });
        } catch (error) {
          setUnread((error as Error).message);
        }
      }}
    >
      {trouble}
      <Field id="connection-title" label={t`What is it called?`}>
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
        label={t`Address`}
        hint={t`As https://models.example/v1. Addresses inside the network are allowed by name, where the service is started.`}
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
        label={t`Its secret is kept as`}
        hint={t`A variable GOLDSHELF_SECRET_… of the service, or a file in its --secrets-dir.`}
      >
        <input
          id="connection-secret"
          className={fieldLook}
          value={form.secret ?? ""}
          onChange={(e) => change({ secret: e.target.value || undefined })}
        />
      </Field>
      <Field
        id="connection-secret-value"
        label={t`Or the secret itself (if any)`}
        hint={
          sealed
            ? t`One is kept, sealed. Another takes its place.`
            : t`It is kept sealed, where the service has a --secret-key-file, and never shown again.`
        }
      >
        <input
          id="connection-secret-value"
          type="password"
          autoComplete="off"
          className={fieldLook}
          value={form.secretValue}
          onChange={(e) => setForm({ ...form, secretValue: e.target.value })}
        />
      </Field>
      <SomeOf
        title={t`Models that it serves`}
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
        title={t`Only entries of (none: all)`}
        of={terms("department")}
        chosen={form.departments ?? []}
        toggle={(name, on) => change({ departments: toggle(form.departments, name, on) })}
      />
      <SomeOf
        title={t`Only entries labelled (none: all)`}
        of={facets
          .filter((f) => !["department", "application", "model"].includes(f.name))
          .flatMap((f) =>
            f.terms.map((t) => ({ name: `${f.name}:${t.name}`, title: `${f.title}: ${t.title}` })),
          )}
        chosen={Object.entries(form.labels ?? {}).flatMap(([facet, all]) => all.map((t) => `${facet}:${t}`))}
        toggle={(name, on) => change({ labels: labelled(form.labels, name, on) })}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          className="accent-gold"
          checked={form.no_personal ?? false}
          onChange={(e) => change({ no_personal: e.target.checked || undefined })}
        />
        <Trans>It may not be sent personal data or secrets</Trans>
      </label>
      <Field
        id="connection-mapping"
        label={t`Mapping, in JSON`}
        hint={t`Where in its requests and answers ours stand. Empty: it speaks our own protocol.`}
      >
        <textarea
          id="connection-mapping"
          rows={form.mappingText ? 10 : 2}
          className={`${fieldLook} font-mono text-small`}
          value={form.mappingText}
          onChange={(e) => setForm({ ...form, mappingText: e.target.value })}
        />
      </Field>
      {form.mappingText.trim() && (
        <Field
          id="connection-sample"
          label={t`A sample answer, in JSON`}
          hint={t`Paste a whole answer of the endpoint: the mapping must find its text.`}
        >
          <textarea
            id="connection-sample"
            rows={4}
            className={`${fieldLook} font-mono text-small`}
            value={form.sampleText}
            onChange={(e) => setForm({ ...form, sampleText: e.target.value })}
          />
        </Field>
      )}
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

/** Labels with one more, facet:term, or without it; nothing where none is left. */
function labelled(labels: NewConnection["labels"], name: string, on: boolean): NewConnection["labels"] {
  const [facet = "", term = ""] = name.split(":");
  const terms = (labels?.[facet] ?? []).filter((t) => t !== term);
  const next = { ...labels, [facet]: on ? [...terms, term] : terms };
  const kept = Object.entries(next).filter(([, all]) => all.length > 0);
  return kept.length > 0 ? Object.fromEntries(kept) : undefined;
}

/** A mapping with its sample answer, or nothing; it throws in words where one is no JSON. */
function mappingOf(text: string, sample: string): NewConnection["mapping"] {
  if (!text.trim()) return undefined;
  const read = (what: string, json: string) => {
    try {
      return JSON.parse(json) as object;
    } catch (error) {
      throw new Error(`The ${what} is no JSON: ${(error as Error).message}`, { cause: error });
    }
  };
  const mapping = read("mapping", text) as NonNullable<NewConnection["mapping"]>;
  return sample.trim() ? { ...mapping, sample: read(t`sample answer`, sample) } : mapping;
}

/** What the form begins with: of a connection that is there only what can be changed. */
function formOf(start: NewConnection): Form {
  const { sample, ...mapping } = start.mapping ?? {};
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
    labels: start.labels,
    no_personal: start.no_personal,
    mappingText: start.mapping ? JSON.stringify(mapping, null, 2) : "",
    sampleText: sample === undefined ? "" : JSON.stringify(sample, null, 2),
    secretValue: "",
  };
}
