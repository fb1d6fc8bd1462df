import { ToggleGroup } from "radix-ui";

interface ChoiceOf {
  label: string;
  value: string;
  onChange: (value: string) => void;
  options: { value: string; name: string }[];
}

/** A choice between a few ways to see the same thing. */
export function Choice({ label, value, onChange, options }: ChoiceOf) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      onValueChange={(v) => v && onChange(v)}
      className="flex w-fit max-w-full flex-wrap overflow-hidden rounded-field border border-line"
    >
      {options.map((o) => (
        <ToggleGroup.Item
          key={o.value}
          value={o.value}
          className="px-3 py-1 focus-visible:-outline-offset-2 data-[state=on]:bg-wash data-[state=on]:font-semibold data-[state=on]:text-gold"
        >
          {o.name}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
