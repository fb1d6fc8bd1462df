import { whole } from "../../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Copy, TriangleAlert } from "lucide-react";
import { toast } from "sonner";
import type { Filled } from "../../data/api";
import { useSession } from "../../data/hooks";
import { rememberLast } from "../../data/laststack";
import { useRegister, type FilledBox } from "../../data/register";
import { Button } from "../../parts/basics";
import { OneOf } from "../../parts/oneof";

/** The application that a text is for: it says how it wants it delivered. */
export function For({ value, set }: { value: string; set: (application: string) => void }) {
  const person = useSession().data?.name ?? "";
  const all = useRegister().data?.data.items ?? [];
  const of = all
    .filter((a) => a.facet === "application" && (a.status !== "gone" || a.name === value))
    .map((a) => ({ name: a.name, title: a.title }));
  return (
    <span className="flex items-center gap-2">
      <label htmlFor="for-application" className="text-small text-faded">
        <Trans>For</Trans>
      </label>
      <OneOf
        id="for-application"
        className="!w-40"
        value={value}
        none={t`anything`}
        of={of}
        set={(name) => {
          set(name);
          const one = of.find((o) => o.name === name);
          rememberLast(person, "application", one ?? { name: "", title: "" });
        }}
      />
    </span>
  );
}

/** A text as an application wants it: box by box, each with its length and its own Copy. */
export function Boxes({ filled }: { filled: Filled }) {
  const boxes = filled.boxes ?? [];
  return (
    <div className="flex flex-col gap-5 ps-7 max-sm:ps-4">
      {boxes.map((b, i) => (
        <Box key={i} box={b} name={b.title ?? b.role ?? (boxes.length > 1 ? t`Box ${i + 1}` : t`The text`)} />
      ))}
      {(filled.left ?? []).map((l) => (
        <Warning key={l}>{l.charAt(0).toUpperCase() + l.slice(1)}.</Warning>
      ))}
    </div>
  );
}

function Box({ box, name }: { box: FilledBox; name: string }) {
  const copy = () =>
    navigator.clipboard.writeText(box.text).then(
      () => toast.success(`Copied: ${name}`),
      () => toast.error(t`The browser did not allow copying: mark the text and copy it by hand`),
    );
  return (
    <section aria-label={name} className="rounded-card border border-line">
      <div className="flex flex-wrap items-center gap-3 border-b border-line px-3.5 py-2">
        <h2 className="font-sans text-base font-semibold">{name}</h2>
        <Length box={box} />
        <Button className="ms-auto !py-1" onClick={() => void copy()} aria-label={t`Copy ${name}`}>
          <Copy size={14} aria-hidden />
          <Trans>Copy</Trans>
        </Button>
      </div>
      {box.over && (
        <div className="border-b border-line px-3.5 py-2">
          <Warning>
            <Trans>
              It is {box.length - (box.limit ?? 0)} characters over what the application takes. Longest:{" "}
              {(box.longest ?? []).map((l) => `${l.part ?? l.title} (${l.length})`).join(", ")}.
            </Trans>
          </Warning>
        </div>
      )}
      <pre
        className="max-h-96 overflow-auto px-3.5 py-3 font-mono text-small leading-[21px] break-words whitespace-pre-wrap"
        tabIndex={0}
      >
        {box.text || (
          <span className="text-faded">
            <Trans>Nothing of this stack goes here.</Trans>
          </span>
        )}
      </pre>
    </section>
  );
}

/** How long a box is, and how much of its limit that is. */
function Length({ box }: { box: FilledBox }) {
  const { length, limit } = box;
  if (!limit)
    return (
      <span className="text-small text-faded">
        <Trans>{whole(length)} characters</Trans>
      </span>
    );
  return (
    <span className="flex items-center gap-2 text-small text-faded">
      <Trans>
        <span aria-hidden className="h-1.5 w-24 overflow-hidden rounded-full bg-line">
          <span
            className={`block h-full ${box.over ? "bg-stop" : "bg-gilt"}`}
            style={{ width: `${Math.min(100, (100 * length) / limit)}%` }}
          />
        </span>
        {whole(length)} of {whole(limit)} characters
      </Trans>
    </span>
  );
}

function Warning({ children }: { children: React.ReactNode }) {
  return (
    <p className="flex items-start gap-2 text-small">
      <TriangleAlert size={15} className="mt-0.5 shrink-0 text-stop" aria-hidden />
      <span>{children}</span>
    </p>
  );
}
