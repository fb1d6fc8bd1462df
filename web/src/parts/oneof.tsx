import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useId, useState, type KeyboardEvent } from "react";
import { fieldLook } from "./basics";

export interface Option {
  name: string;
  title: string;
}

interface OneOfProps {
  id?: string;
  value: string;
  set: (name: string) => void;
  none: string; // what it is called that none is chosen
  of: Option[];
  required?: boolean;
  className?: string;
}

/** So many are chosen among at a glance; of more one types which. */
export const atAGlance = 8;

const mostShown = 30;

/** A choice of one, or of none: of few from a list, of many by typing. */
export function OneOf(props: OneOfProps) {
  if (props.of.length > atAGlance) return <TypedOne {...props} />;
  const { id, value, set, none, of, required, className = "" } = props;
  return (
    <select
      id={id}
      required={required}
      className={`${fieldLook} ${className}`}
      value={value}
      onChange={(e) => set(e.target.value)}
    >
      <option value="">{none}</option>
      {value && !of.some((o) => o.name === value) && <option value={value}>{value}</option>}
      {of.map((o) => (
        <option key={o.name} value={o.name}>
          {o.title}
        </option>
      ))}
    </select>
  );
}

function TypedOne({ id, value, set, none, of, required, className }: OneOfProps) {
  const all = required ? of : [{ name: "", title: none }, ...of];
  const title = of.find((o) => o.name === value)?.title ?? value;
  return (
    <TypedField
      id={id}
      shown={title || (required ? "" : none)}
      of={all}
      required={required}
      className={className}
      choose={(o) => set(o.name)}
    />
  );
}

/** A field in which one types what is to be chosen. */
export function TypedField(props: {
  id?: string;
  label?: string;
  shown: string;
  of: Option[];
  choose: (o: Option) => void;
  placeholder?: string;
  required?: boolean;
  className?: string;
  /** Is told what was typed, where what fits is found elsewhere. */
  typed?: (words: string) => void;
}) {
  const { id, label, shown, of, choose, placeholder, required, className = "", typed: tell } = props;
  const list = useId();
  const [typed, setTyped] = useState<string | null>(null);
  const [at, setAt] = useState(0);
  const words = (typed ?? "").trim().toLowerCase();
  const fits = (o: Option) => tell !== undefined || `${o.title} ${o.name}`.toLowerCase().includes(words);
  const fitting = of.filter(fits).slice(0, mostShown);
  const open = typed !== null;
  const take = (o: Option | undefined) => {
    if (o) choose(o);
    setTyped(null);
    tell?.("");
  };
  const onKey = (e: KeyboardEvent) => {
    if (e.key === "ArrowDown") {
      if (open) setAt(Math.min(at + 1, fitting.length - 1));
      else setTyped("");
    } else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
    else if (e.key === "Enter" && open) take(fitting[at]);
    else if (e.key === "Escape" && open) setTyped(null);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <span className={`relative block ${className}`}>
      <input
        id={id}
        role="combobox"
        aria-label={label}
        aria-expanded={open}
        aria-controls={list}
        aria-activedescendant={open && fitting[at] ? `${list}-${at}` : undefined}
        autoComplete="off"
        placeholder={placeholder ?? t`Type to find one…`}
        required={required}
        className={fieldLook}
        value={typed ?? shown}
        onFocus={(e) => e.target.select()}
        onClick={() => setTyped(typed ?? "")}
        onBlur={() => {
          setTyped(null);
          tell?.("");
        }}
        onChange={(e) => {
          setTyped(e.target.value);
          tell?.(e.target.value.trim());
          setAt(0);
        }}
        onKeyDown={onKey}
      />
      <ul
        id={list}
        role="listbox"
        aria-label={label ? t`${label}: what fits` : t`What fits`}
        hidden={!open}
        className="absolute inset-x-0 top-full z-20 mt-1 max-h-64 overflow-auto rounded-card border border-line bg-leaf p-1 shadow-lift"
      >
        {fitting.map((o, i) => (
          <li
            key={o.name}
            id={`${list}-${i}`}
            role="option"
            aria-selected={i === at}
            className={`cursor-pointer rounded-field px-2 py-1 ${i === at ? "bg-wash" : ""}`}
            onMouseEnter={() => setAt(i)}
            onMouseDown={(e) => {
              e.preventDefault(); // the field keeps the focus
              take(o);
            }}
          >
            {o.title}
          </li>
        ))}
        {fitting.length === 0 && (
          <li role="option" aria-selected={false} className="px-2 py-1 text-faded">
            <Trans>Nothing is called that.</Trans>
          </li>
        )}
      </ul>
    </span>
  );
}
