import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Facet } from "../../data/api";
import { useMergeTerm, useSetTerm, useUndoLabels } from "../../data/library";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";

export type Term = Facet["terms"][number];

/** Terms with those under them, each with how deep it stands. */
export function asTree(terms: Term[], under = "", depth = 0): { term: Term; depth: number }[] {
  return terms
    .filter((t) => (t.under ?? "") === under)
    .flatMap((term) => [{ term, depth }, ...asTree(terms, term.name, depth + 1)]);
}

/** All that can be done with a term: a title, a place, retired or not, part of another. */
export function ChangeTerm({ facet, term, done }: { facet: Facet; term: Term; done: () => void }) {
  const [title, setTitle] = useState(term.title);
  const [under, setUnder] = useState(term.under ?? "");
  const set = useSetTerm();
  const change = (to: { title?: string; under?: string; retired?: boolean }, said: string, back: typeof to) =>
    set.mutate(
      { facet: facet.name, term: term.name, change: to },
      {
        onSuccess: () => {
          toast.success(said, {
            action: {
              label: t`Undo`,
              onClick: () => set.mutate({ facet: facet.name, term: term.name, change: back }),
            },
          });
          done();
        },
      },
    );
  const own = asTree(facet.terms, term.name).map((t) => t.term.name);
  return (
    <div className="flex flex-col gap-5">
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          change({ title, under }, t`${title} is saved`, { title: term.title, under: term.under ?? "" });
        }}
      >
        <Trouble error={set.error} title={t`It stays as it was`} />
        <Field id="term-title" label={t`Title`} hint={t`Applications go on reading it as ${term.name}.`}>
          <input
            id="term-title"
            required
            className={fieldLook}
            value={title}
            onChange={(e) => setTitle(e.target.value)}
          />
        </Field>
        <Field id="term-under" label={t`Under`} hint={t`Whoever looks for that finds this too.`}>
          <select
            id="term-under"
            className={fieldLook}
            value={under}
            onChange={(e) => setUnder(e.target.value)}
          >
            <option value="">
              <Trans>None</Trans>
            </option>
            {facet.terms
              .filter((t) => t.name !== term.name && !own.includes(t.name))
              .map((t) => (
                <option key={t.name} value={t.name}>
                  {t.title}
                </option>
              ))}
          </select>
        </Field>
        <div className="flex flex-wrap gap-3">
          <Button type="submit" weight="main" disabled={set.isPending}>
            <Trans>Save</Trans>
          </Button>
          <Button
            onClick={() =>
              change(
                { retired: !term.retired },
                term.retired ? t`${term.title} can be chosen again` : t`${term.title} is retired`,
                { retired: term.retired ?? false },
              )
            }
          >
            {term.retired ? t`Restore` : t`Retire`}
          </Button>
        </div>
        {!term.retired && (
          <p className="text-small text-faded">
            <Trans>A retired term stays on the entries that have it; nobody chooses it any more.</Trans>
          </p>
        )}
      </form>
      <Merge facet={facet} term={term} done={done} />
    </div>
  );
}

function Merge({ facet, term, done }: { facet: Facet; term: Term; done: () => void }) {
  const [into, setInto] = useState("");
  const merge = useMergeTerm();
  const undo = useUndoLabels();
  const target = facet.terms.find((t) => t.name === into);
  return (
    <form
      className="flex flex-col gap-3 border-t border-line pt-4"
      onSubmit={(e) => {
        e.preventDefault();
        merge.mutate(
          { facet: facet.name, term: term.name, into },
          {
            onSuccess: (m) => {
              toast.success(t`${term.title} is part of ${target?.title ?? ""} now: ${m.entries} changed`, {
                duration: 15_000,
                action: { label: t`Undo`, onClick: () => m.undo && undo.mutate(m.undo) },
              });
              done();
            },
          },
        );
      }}
    >
      <Trouble error={merge.error} title={t`It stays as it was`} />
      <Field
        id="term-into"
        label={t`Merge into`}
        hint={t`Every entry that has this has the other from then on; links by this name go on working.`}
      >
        <select
          id="term-into"
          required
          className={fieldLook}
          value={into}
          onChange={(e) => setInto(e.target.value)}
        >
          <option value="">
            <Trans>Choose a term…</Trans>
          </option>
          {facet.terms
            .filter((t) => t.name !== term.name)
            .map((t) => (
              <option key={t.name} value={t.name}>
                {t.title}
              </option>
            ))}
        </select>
      </Field>
      <Button type="submit" className="self-start" disabled={merge.isPending || !into}>
        {target ? t`Merge into ${target.title}` : t`Merge`}
      </Button>
    </form>
  );
}
