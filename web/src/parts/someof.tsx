import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { X } from "lucide-react";
import { atAGlance, TypedField, type Option } from "./oneof";

/** A choice of some: of few by boxes, of many by typing. */
export function SomeOf({
  title,
  of,
  chosen,
  toggle,
  disabled,
  single,
}: {
  title: string;
  of: Option[];
  chosen: string[];
  toggle: (name: string, on: boolean) => void;
  disabled?: boolean;
  single?: boolean; // one at most: choosing another takes its place
}) {
  const titleOf = (name: string) => of.find((o) => o.name === name)?.title ?? name;
  return (
    <fieldset disabled={disabled}>
      <legend className="mb-1 font-semibold">
        {title}
        {single && (
          <span className="ms-2 text-small font-normal text-faded">
            <Trans>one</Trans>
          </span>
        )}
      </legend>
      {of.length <= atAGlance ? (
        <div className="flex flex-wrap gap-x-4 gap-y-1">
          {of.map((o) => (
            <label key={o.name} className="flex min-h-7 items-center gap-1.5">
              <input
                type="checkbox"
                className="size-4 accent-gold"
                checked={chosen.includes(o.name)}
                onChange={(e) => toggle(o.name, e.target.checked)}
              />
              {o.title}
            </label>
          ))}
        </div>
      ) : (
        <div className="flex flex-col gap-2">
          {chosen.length > 0 && (
            <ul className="flex flex-wrap gap-2">
              {chosen.map((name) => (
                <li
                  key={name}
                  className="inline-flex items-center gap-1 rounded-full border border-line bg-wash py-0.5 pe-1 ps-2.5 text-small"
                >
                  {titleOf(name)}
                  <button
                    type="button"
                    aria-label={t`Remove ${titleOf(name)}`}
                    className="rounded-full p-0.5 hover:bg-leaf"
                    onClick={() => toggle(name, false)}
                  >
                    <X size={13} aria-hidden />
                  </button>
                </li>
              ))}
            </ul>
          )}
          <TypedField
            label={t`Add to ${title}`}
            shown=""
            placeholder={t`Type to find one of ${of.length}…`}
            of={of.filter((o) => !chosen.includes(o.name))}
            choose={(o) => toggle(o.name, true)}
          />
        </div>
      )}
    </fieldset>
  );
}
