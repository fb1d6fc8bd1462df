import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { makeBlanks, type Place } from "../data/import";
import type { Blank } from "../data/api";
import { Button, fieldLook, Trouble } from "./basics";

/** The places of a text that wait for something, each to be chosen, before any of them becomes a blank. */
export function Places({
  body,
  places,
  made,
}: {
  body: string;
  places: Place[];
  /** Called with the text that was asked about: it may have changed meanwhile. */
  made: (asked: string, body: string, blanks: Blank[]) => void;
}) {
  const [left, setLeft] = useState<Set<number>>(new Set());
  const [names, setNames] = useState<Record<string, string>>({});
  const [error, setError] = useState<unknown>(null);
  const named = places.map((p) => ({ ...p, name: names[p.name] ?? p.name }));
  const chosen = named.filter((p) => !left.has(p.start));
  const make = async () => {
    try {
      const got = await makeBlanks(body, chosen);
      setError(null);
      made(body, got.body, got.blanks);
    } catch (e) {
      setError(e);
    }
  };
  return (
    <section aria-labelledby="places" className="rounded-card border border-line bg-leaf px-4 py-3">
      <h2 id="places" className="text-[17px]">
        {plural(places.length, { one: "One place to fill in", other: "# places to fill in" })}
      </h2>
      <p className="mb-2 text-small text-faded">
        <Trans>Nothing in the text changes until you make blanks of them.</Trans>
      </p>
      <Trouble error={error} title={t`The text stays as it is`} />
      <ul className="divide-y divide-line">
        {places.map((p, i) => (
          <li key={p.start} className="flex flex-wrap items-center gap-3 py-1.5">
            <label className="flex min-h-7 min-w-0 flex-1 items-center gap-2">
              <input
                type="checkbox"
                className="size-4 shrink-0 accent-gold"
                checked={!left.has(p.start)}
                onChange={(e) => {
                  const next = new Set(left);
                  if (e.target.checked) next.delete(p.start);
                  else next.add(p.start);
                  setLeft(next);
                }}
              />
              <span className="truncate font-mono text-small">
                <span className="text-faded">{context(body, p, -1)}</span>
                <mark className="bg-wash text-ink">{p.text}</mark>
                <span className="text-faded">{context(body, p, 1)}</span>
              </span>
            </label>
            <input
              aria-label={t`Name of the blank for ${p.text}`}
              className={`${fieldLook} !w-40 !py-1 font-mono text-small`}
              value={named[i]!.name}
              onChange={(e) => setNames({ ...names, [p.name]: e.target.value })}
            />
          </li>
        ))}
      </ul>
      <Button className="mt-2" disabled={chosen.length === 0} onClick={() => void make()}>
        {plural(chosen.length, { one: "Make it a blank", other: "Make blanks of #" })}
      </Button>
    </section>
  );
}

/** A few words before or after a place, on its line. Places count bytes. */
function context(body: string, p: Place, side: -1 | 1): string {
  const bytes = new TextEncoder().encode(body);
  const decoder = new TextDecoder();
  if (side < 0) {
    const before = decoder.decode(bytes.subarray(Math.max(0, p.start - 120), p.start));
    return (before.split("\n").at(-1) ?? "").slice(-24);
  }
  return (decoder.decode(bytes.subarray(p.end, p.end + 120)).split("\n")[0] ?? "").slice(0, 24);
}
