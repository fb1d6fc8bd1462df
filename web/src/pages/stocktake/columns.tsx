import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import type { Plan } from "../../data/import";
import { useReadAgain } from "../../data/import";
import { useLabels } from "../../data/hooks";
import { Button, fieldLook, Trouble } from "../../parts/basics";

const fields = [
  "text",
  "title",
  "summary",
  "kind",
  "slug",
  "owner",
  "code",
  "language",
  "note",
  "persona",
  "style",
  "sheets",
  "source.place",
  "source.link",
  "source.person",
  "source.date",
  "blanks",
  "steps",
  "plain",
  "deputy",
];

/** What each column of a table holds: as it seems, and by hand; to be kept under a name. */
export function Columns({ plan }: { plan: Plan }) {
  const facets = useLabels().data?.filter((f) => f.name !== "kind") ?? [];
  const again = useReadAgain(plan.id);
  const [name, setName] = useState("");
  const columns = Object.fromEntries((plan.columns ?? []).map((c) => [c.heading, c.holds]));
  const read = (next: Record<string, string>, keep_as?: string) =>
    again.mutate({ reading: { ...plan.reading, columns: next }, keep_as });
  return (
    <details open className="mb-5 rounded-card border border-line bg-leaf px-4 py-3">
      <summary className="cursor-pointer font-semibold">
        <Trans>What the columns hold</Trans>
      </summary>
      <Trouble error={again.error} />
      <div className="mt-3 grid gap-3 sm:grid-cols-2 wide:grid-cols-3">
        {(plan.columns ?? []).map((c) => (
          <label key={c.heading} className="flex items-center gap-2">
            <span className="w-32 shrink-0 truncate text-small" title={c.heading}>
              {c.heading}
            </span>
            <select
              className={fieldLook}
              value={c.holds}
              onChange={(e) => read({ ...columns, [c.heading]: e.target.value })}
            >
              <option value="">
                <Trans>nothing</Trans>
              </option>
              {fields.map((f) => (
                <option key={f} value={f}>
                  {f}
                </option>
              ))}
              {facets.map((f) => (
                <option key={f.name} value={`label:${f.name}`}>
                  <Trans>label: {f.title}</Trans>
                </option>
              ))}
            </select>
          </label>
        ))}
      </div>
      <div className="mt-3 flex flex-wrap items-center gap-3">
        <input
          aria-label={t`Save this mapping as`}
          placeholder={t`A name to save it under`}
          className={`${fieldLook} !w-60`}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <Button disabled={!name.trim() || again.isPending} onClick={() => read(columns, name)}>
          <Trans>Save mapping</Trans>
        </Button>
        {again.isSuccess && name && (
          <span className="text-small text-faded">
            <Trans>Saved.</Trans>
          </span>
        )}
      </div>
    </details>
  );
}
