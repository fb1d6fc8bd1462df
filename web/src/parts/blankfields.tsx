import type { Blank, Problem, Value, Values } from "../data/api";
import { asText, question } from "../data/words";
import { Field, fieldLook } from "./basics";

/** A form with one field for each blank. */
export function BlankFields({
  blanks,
  values,
  problems,
  onChange,
}: {
  blanks: Blank[];
  values: Values;
  problems: Problem[];
  onChange: (values: Values) => void;
}) {
  if (blanks.length === 0) return <p className="text-faded">Nothing to fill in: the text is ready.</p>;
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
  error?: string;
  onChange: (v: Value) => void;
}

function BlankField({ blank, value, error, onChange }: FieldOf) {
  const id = `blank-${blank.name}`;
  const label = question(blank) + (blank.optional && blank.default === undefined ? " (if any)" : "");
  return (
    <Field id={id} label={label} hint={blank.hint} error={error}>
      <Input blank={blank} value={value} error={error} onChange={onChange} />
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
        <textarea {...common} rows={5} value={asText(value)} onChange={(e) => onChange(e.target.value)} />
      );
    case "pick":
    case "yes-no": {
      const options = blank.type === "pick" ? (blank.options ?? []) : ["yes", "no"];
      return (
        <select {...common} value={asText(value)} onChange={(e) => onChange(e.target.value)}>
          <option value="">{byDefault ? `${byDefault} (usual)` : "Choose …"}</option>
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
          placeholder={byDefault ? `${byDefault} (usual)` : undefined}
          autoComplete="off"
          value={asText(value)}
          onChange={(e) => onChange(e.target.value)}
        />
      );
  }
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
