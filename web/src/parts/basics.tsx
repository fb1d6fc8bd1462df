import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import type { ButtonHTMLAttributes, ReactNode } from "react";
import type { Kind, Problem } from "../data/api";
import { Refused } from "../data/api";
import { kindWords } from "../data/words";

type Weight = "main" | "quiet" | "text";

const weights: Record<Weight, string> = {
  main: "bg-gold text-on-gold border-gold px-4 py-2 hover:opacity-90 disabled:opacity-50",
  quiet: "bg-leaf text-ink border-line px-4 py-2 hover:bg-wash disabled:opacity-50",
  text: "min-h-7 min-w-7 border-transparent text-gold px-1 hover:underline disabled:opacity-50",
};

export function Button({
  weight = "quiet",
  className = "",
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { weight?: Weight }) {
  return (
    <button
      type="button"
      {...rest}
      className={`inline-flex items-center justify-center gap-2 rounded-field border font-semibold whitespace-nowrap ${weights[weight]} ${className}`}
    />
  );
}

/** The narrow band at an entry's left: its kind's letter, and hue. */
export function Spine({ kind }: { kind: Kind }) {
  const k = kindWords[kind];
  return (
    <span
      className={`flex w-[26px] shrink-0 justify-center pt-3 text-small font-bold text-on-kind ${k.colour}`}
      title={k.name}
    >
      <span aria-hidden>{k.letter}</span>
      <span className="sr-only">{k.name}</span>
    </span>
  );
}

/** The kind's letter on a small tile, for lists in a sentence's height. */
export function KindTile({ kind }: { kind: Kind }) {
  const k = kindWords[kind];
  return (
    <span
      className={`inline-flex size-5 shrink-0 items-center justify-center rounded-[4px] text-small font-bold text-on-kind ${k.colour}`}
      title={k.name}
    >
      <span aria-hidden>{k.letter}</span>
      <span className="sr-only">{k.name}</span>
    </span>
  );
}

export function Chip({ children }: { children: ReactNode }) {
  return (
    <span className="rounded-full border border-line bg-leaf px-2.5 py-0.5 text-small text-faded">
      {children}
    </span>
  );
}

/** Books stand on a board: a group of entries over its gilt line, name and count under it. */
export function ShelfEdge({
  title,
  note,
  more,
  children,
}: {
  title: string;
  note?: string;
  more?: ReactNode;
  children: ReactNode;
}) {
  return (
    <section className="mb-9" aria-label={title}>
      <div className="grid grid-cols-1 gap-4 border-b-[3px] border-gilt shadow-[0_3px_3px_-2px_rgb(0_0_0/0.12)] sm:grid-cols-2 wide:grid-cols-4">
        {children}
      </div>
      <div className="mt-2.5 flex items-baseline gap-3 px-0.5">
        <h2 className="text-lead">{title}</h2>
        {note && <p className="text-small text-faded">{note}</p>}
        <div className="ms-auto">{more}</div>
      </div>
    </section>
  );
}

export function Field({
  label,
  hint,
  error,
  id,
  children,
}: {
  label: string;
  hint?: string;
  error?: string;
  id: string;
  children: ReactNode;
}) {
  return (
    <div className="flex flex-col gap-1">
      <label htmlFor={id} className="font-semibold">
        {label}
      </label>
      {children}
      {hint && (
        <p id={`${id}-hint`} className="text-small text-faded">
          {hint}
        </p>
      )}
      {error && (
        <p id={`${id}-error`} className="text-small text-stop">
          {error}
        </p>
      )}
    </div>
  );
}

export const fieldLook =
  "w-full rounded-field border border-line bg-leaf px-2.5 py-1.5 text-ink placeholder:text-faded aria-[invalid=true]:border-stop";

/** What happened, and what to do: every problem of a request. */
export function Trouble({ error, title }: { error: unknown; title?: string }) {
  if (!error) return null;
  const problems: Problem[] = error instanceof Refused ? error.problems : [];
  const text = error instanceof Error ? error.message : String(error);
  return (
    <div role="alert" className="rounded-card border border-stop bg-leaf px-4 py-3">
      {title && <p className="font-semibold">{title}</p>}
      {problems.length > 1 ? (
        <ul className="list-disc ps-5">
          {problems.map((p) => (
            <li key={p.field + p.message}>
              {p.line ? t`Line ${p.line}, column ${p.column ?? 0}: ` : ""}
              {p.message}
            </li>
          ))}
        </ul>
      ) : (
        <p>{sentence(text)}</p>
      )}
    </div>
  );
}

/** Says that what a form was filled from has changed since, and offers to begin from that. */
export function ChangedSince({ moved, begin }: { moved: boolean; begin: () => void }) {
  if (!moved) return null;
  return (
    <div
      role="status"
      className="flex flex-wrap items-center gap-4 rounded-card border border-line bg-wash px-4 py-3"
    >
      <p className="min-w-0 flex-1">
        <Trans>Somebody has changed this since you opened it. What you have entered is still here.</Trans>
      </p>
      <Button onClick={begin}>
        <Trans>Show what is there now</Trans>
      </Button>
    </div>
  );
}

export function sentence(text: string): string {
  const whole = text.charAt(0).toUpperCase() + text.slice(1);
  return /[.?!”"]$/.test(whole) ? whole : whole + ".";
}

/** The shape of a page while its content is on the way. */
export function Waiting({ lines = 6 }: { lines?: number }) {
  return (
    <div role="status" aria-label={t`Loading`} className="flex flex-col gap-3">
      {Array.from({ length: lines }, (_, i) => (
        <div key={i} className="h-5 rounded-field bg-line/60" style={{ width: `${92 - ((i * 17) % 40)}%` }} />
      ))}
    </div>
  );
}

/** What to do first where there is nothing yet. It heads the page if it is all there is. */
export function Empty({ title, page, children }: { title: string; page?: boolean; children?: ReactNode }) {
  const Heading = page ? "h1" : "h2";
  return (
    <div className="rounded-card border border-dashed border-line px-6 py-10 text-center">
      <Heading className="text-lead">{title}</Heading>
      <p className="mx-auto mt-1 max-w-prose text-faded">{children}</p>
    </div>
  );
}
