import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { ArrowDown, ArrowUp, X } from "lucide-react";
import type { Problem } from "../../data/api";
import { useOutline } from "../../data/hooks";
import type { Layout, LayoutBox } from "../../data/register";
import { kindWords } from "../../data/words";
import { Button, fieldLook } from "../../parts/basics";

type Take = LayoutBox["takes"][number];
const layers: Take["layer"][] = ["persona", "style", "sheet", "prompt"];

/** A box: what the application calls it, what it takes, in which order, and how much. */
export function BoxForm({
  as,
  box,
  number,
  change,
  remove,
  problems,
}: {
  as: Layout["as"];
  box: LayoutBox;
  number: number;
  change: (b: LayoutBox) => void;
  remove?: () => void;
  problems: Problem[];
}) {
  const name = as === "text" ? t`The text` : `${as === "messages" ? t`Message` : t`Box`} ${number}`;
  const takes = (next: Take[]) => change({ ...box, takes: next });
  const move = (from: number, to: number) => {
    const next = [...box.takes];
    next.splice(to, 0, ...next.splice(from, 1));
    takes(next);
  };
  return (
    <fieldset className="rounded-card border border-line bg-leaf p-4">
      <legend className="px-1 font-semibold">{name}</legend>
      <div className="flex flex-wrap items-end gap-3">
        {as === "messages" && (
          <label className="flex flex-col gap-1 text-small">
            <Trans>From</Trans>
            <select
              className={`${fieldLook} !w-32`}
              value={box.role ?? ""}
              onChange={(e) => change({ ...box, role: e.target.value as LayoutBox["role"] })}
            >
              <option>
                <Trans>system</Trans>
              </option>
              <option>
                <Trans>user</Trans>
              </option>
              <option>
                <Trans>assistant</Trans>
              </option>
            </select>
          </label>
        )}
        {as === "boxes" && (
          <label className="flex flex-1 flex-col gap-1 text-small">
            <Trans>What the application calls it</Trans>
            <input
              className={fieldLook}
              value={box.title ?? ""}
              onChange={(e) => change({ ...box, title: e.target.value })}
            />
          </label>
        )}
        <label className="flex flex-col gap-1 text-small">
          <Trans>Characters at most</Trans>
          <input
            inputMode="numeric"
            className={`${fieldLook} !w-28`}
            placeholder={t`no limit`}
            value={box.limit || ""}
            onChange={(e) =>
              change({ ...box, limit: Number(e.target.value.replace(/\D/g, "")) || undefined })
            }
          />
        </label>
        {remove && (
          <Button
            weight="text"
            className="ms-auto"
            aria-label={t`Remove ${name.toLowerCase()}`}
            onClick={remove}
          >
            <X size={15} aria-hidden />
          </Button>
        )}
      </div>
      <ol className="mt-3 flex flex-col gap-2">
        {box.takes.map((take, i) => (
          <li key={i} className="flex items-start gap-2 rounded-field border border-line px-3 py-2">
            <TakeForm take={take} change={(next) => takes(box.takes.map((o, k) => (k === i ? next : o)))} />
            <span className="ms-auto flex shrink-0 gap-1">
              <Button
                weight="text"
                aria-label={t`Earlier: ${take.layer}`}
                disabled={i === 0}
                onClick={() => move(i, i - 1)}
              >
                <ArrowUp size={14} aria-hidden />
              </Button>
              <Button
                weight="text"
                aria-label={t`Later: ${take.layer}`}
                disabled={i === box.takes.length - 1}
                onClick={() => move(i, i + 1)}
              >
                <ArrowDown size={14} aria-hidden />
              </Button>
              <Button
                weight="text"
                aria-label={t`Remove ${take.layer}`}
                onClick={() => takes(box.takes.filter((_, k) => k !== i))}
              >
                <X size={14} aria-hidden />
              </Button>
            </span>
          </li>
        ))}
      </ol>
      <p className="mt-2 flex flex-wrap items-center gap-2 text-small">
        <Trans>Take</Trans>
        {layers.map((l) => (
          <button
            key={l}
            type="button"
            className="rounded-full border border-dashed border-line px-2.5 py-0.5 hover:bg-wash"
            onClick={() => takes([...box.takes, { layer: l }])}
          >
            + {kindWords[l].name}
          </button>
        ))}
      </p>
      {problems.map((p) => (
        <p key={p.field + p.message} className="mt-1 text-small text-stop">
          {p.message}
        </p>
      ))}
    </fieldset>
  );
}

/** What is taken of a layer: all that no other box names, or parts of its outline. */
function TakeForm({ take, change }: { take: Take; change: (take: Take) => void }) {
  const outline = (useOutline(take.layer) ?? []).map((h) => h.title);
  const parts = take.parts ?? [];
  const known = [...outline, ...parts.filter((p) => !outline.includes(p))];
  const toggle = (part: string, on: boolean) =>
    change({ ...take, parts: on ? [...parts, part] : parts.filter((p) => p !== part) });
  return (
    <div className="min-w-0">
      <p>
        <b>{kindWords[take.layer].name}</b>{" "}
        <span className="text-small text-faded">
          {parts.length > 0 ? t`these parts, in this order` : t`all of it that no other box takes`}
        </span>
      </p>
      {known.length > 0 && (
        <div
          className="mt-1 flex flex-wrap gap-x-4 gap-y-1"
          role="group"
          aria-label={t`Parts of the ${take.layer}`}
        >
          {known.map((p) => (
            <label key={p} className="flex min-h-7 items-center gap-1.5">
              <input
                type="checkbox"
                className="size-4 accent-gold"
                checked={parts.includes(p)}
                onChange={(e) => toggle(p, e.target.checked)}
              />
              {p}
              {parts.includes(p) && parts.length > 1 && (
                <span className="text-small text-faded">{parts.indexOf(p) + 1}</span>
              )}
            </label>
          ))}
        </div>
      )}
    </div>
  );
}
