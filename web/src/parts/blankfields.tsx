import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useRef, useState } from "react";
import { toast } from "sonner";
import type { Blank, Problem, Value, Values } from "../data/api";
import { readDocument } from "../data/talks";
import { asText, question } from "../data/words";
import { Field, fieldLook } from "./basics";

/** A form with one field for each blank. */
export function BlankFields({
  blanks,
  values,
  last = {},
  problems,
  onChange,
}: {
  blanks: Blank[];
  values: Values;
  last?: Values;
  problems: Problem[];
  onChange: (values: Values) => void;
}) {
  if (blanks.length === 0)
    return (
      <p className="text-faded">
        <Trans>Nothing to fill in: the text is ready.</Trans>
      </p>
    );
  return (
    <div className="flex flex-col gap-4">
      {blanks.map((b) => {
        const given = !isEmpty(values[b.name]);
        const wrong = problems.find(
          (p) => p.field.startsWith(`/values/${b.name}`) && (given || p.code !== "missing"),
        );
        return (
          <BlankField
            key={b.name}
            blank={b}
            value={values[b.name]}
            last={last[b.name]}
            error={wrong?.message}
            onChange={(v) => onChange({ ...values, [b.name]: v })}
          />
        );
      })}
    </div>
  );
}

function isEmpty(v: Value | undefined): boolean {
  return v === undefined || v === null || v === "" || (Array.isArray(v) && v.length === 0);
}

interface FieldOf {
  blank: Blank;
  value: Value | undefined;
  last?: Value;
  error?: string;
  onChange: (v: Value) => void;
}

function BlankField({ blank, value, last, error, onChange }: FieldOf) {
  const id = `blank-${blank.name}`;
  const label = question(blank) + (blank.optional && blank.default === undefined ? t` (if any)` : "");
  return (
    <Field id={id} label={label} hint={blank.hint} error={error}>
      <Input blank={blank} value={value} error={error} onChange={onChange} />
      {isEmpty(value) && !isEmpty(last) && (
        <button
          type="button"
          className="max-w-full truncate self-start text-small text-gold hover:underline"
          onClick={() => onChange(last ?? "")}
        >
          <Trans>As last time: {asText(last)}</Trans>
        </button>
      )}
    </Field>
  );
}

function Input({ blank, value, error, onChange }: FieldOf) {
  const id = `blank-${blank.name}`;
  const common = {
    id,
    "aria-invalid": error ? true : undefined,
    "aria-describedby": error ? `${id}-error` : blank.hint ? `${id}-hint` : undefined,
    className: fieldLook,
  };
  const byDefault = asText(blank.default);
  switch (blank.type) {
    case "text":
      return (
        <>
          <textarea {...common} rows={5} value={asText(value)} onChange={(e) => onChange(e.target.value)} />
          <FromFile of={question(blank)} take={onChange} />
        </>
      );
    case "pick":
    case "yes-no": {
      const options = blank.type === "pick" ? (blank.options ?? []) : ["yes", "no"];
      return (
        <select {...common} value={asText(value)} onChange={(e) => onChange(e.target.value)}>
          <option value="">{byDefault ? t`${byDefault} (usual)` : t`Choose …`}</option>
          {options.map((o) => (
            <option key={o}>{o}</option>
          ))}
        </select>
      );
    }
    case "pick-many":
      return <Picks blank={blank} value={value} onChange={onChange} />;
    default:
      return (
        <input
          {...common}
          type={blank.type === "date" ? "date" : "text"}
          inputMode={blank.type === "number" ? "decimal" : undefined}
          placeholder={byDefault ? t`${byDefault} (usual)` : undefined}
          autoComplete="off"
          value={asText(value)}
          onChange={(e) => onChange(e.target.value)}
        />
      );
  }
}

const mostFile = 10 * 1024 * 1024;

/** A value from a file: what it says, as text. */
function FromFile({ of, take }: { of: string; take: (text: string) => void }) {
  const file = useRef<HTMLInputElement>(null);
  const [busy, setBusy] = useState(false);
  const read = async (from: File) => {
    if (from.size > mostFile) {
      toast.error(t`${from.name} has ${Math.round(from.size / 1048576)} MiB; 10 MiB are possible`);
      return;
    }
    setBusy(true);
    try {
      take((await readDocument(from)).text);
    } catch (e) {
      toast.error(`${from.name}: ${(e as Error).message}`);
    }
    setBusy(false);
  };
  return (
    <>
      <input
        ref={file}
        type="file"
        hidden
        aria-label={t`A file for: ${of}`}
        accept=".txt,.md,.csv,.docx,.pdf"
        onChange={(e) => {
          const chosen = e.currentTarget.files?.[0];
          e.currentTarget.value = ""; // so that it can be chosen again
          if (chosen) void read(chosen);
        }}
      />
      <button
        type="button"
        disabled={busy}
        className="self-start text-small text-gold hover:underline disabled:opacity-50"
        onClick={() => file.current?.click()}
      >
        {busy ? t`Reading…` : t`From a file…`}
      </button>
    </>
  );
}

function Picks({ blank, value, onChange }: FieldOf) {
  const picked = Array.isArray(value) ? value.map(String) : [];
  const options = blank.options ?? [];
  const toggle = (option: string, on: boolean) =>
    onChange(options.filter((o) => (o === option ? on : picked.includes(o))));
  return (
    <div
      role="group"
      aria-label={question(blank)}
      id={`blank-${blank.name}`}
      tabIndex={-1}
      className="flex flex-col gap-1"
    >
      {options.map((o) => (
        <label key={o} className="flex items-center gap-2">
          <input
            type="checkbox"
            className="size-4 accent-gold"
            checked={picked.includes(o)}
            onChange={(e) => toggle(o, e.target.checked)}
          />
          {o}
        </label>
      ))}
    </div>
  );
}
