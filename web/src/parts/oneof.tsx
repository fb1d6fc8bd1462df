import { fieldLook } from "./basics";

interface OneOfProps {
  id?: string;
  value: string;
  set: (name: string) => void;
  none: string; // what it is called that none is chosen
  of: { name: string; title: string }[];
  required?: boolean;
  className?: string;
}

/** A choice of one among many, or of none. */
export function OneOf({ id, value, set, none, of, required, className = "" }: OneOfProps) {
  return (
    <select
      id={id}
      required={required}
      className={`${fieldLook} ${className}`}
      value={value}
      onChange={(e) => set(e.target.value)}
    >
      <option value="">{none}</option>
      {of.map((o) => (
        <option key={o.name} value={o.name}>
          {o.title}
        </option>
      ))}
    </select>
  );
}
