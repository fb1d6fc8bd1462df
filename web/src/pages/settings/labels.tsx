import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Facet, Kind } from "../../data/api";
import { useLabels } from "../../data/hooks";
import { useAddLabel, useImportLabels, useSetFacet } from "../../data/library";
import { Button, Empty, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { kindWords, nameFrom } from "../../data/words";
import { SomeOf } from "../../parts/someof";
import { TableFile } from "../../parts/tablefile";
import { asTree, ChangeTerm, type Term } from "./term";

/** The facets by which entries are found, and the terms of each. */
export function LabelsPage() {
  return (
    <>
      <h1 className="mb-1 text-title max-sm:text-head">
        <Trans>Labels</Trans>
      </h1>
      <p className="mb-5 max-w-prose text-faded">
        <Trans>
          Entries are found by these. Another title shows everywhere at once, and makes no new version of
          anything.
        </Trans>
      </p>
      <LabelsForm />
    </>
  );
}

export function LabelsForm() {
  const labels = useLabels();
  const [changing, setChanging] = useState<Chosen | null>(null);
  if (labels.error) return <Trouble error={labels.error} title={t`The labels cannot be shown`} />;
  if (!labels.data) return <Waiting lines={6} />;
  const facets = labels.data.filter((f) => f.name !== "kind");
  return (
    <>
      {facets.length === 0 && (
        <Empty title={t`No labels yet`}>
          <Trans>Add the departments first, or take all labels from a table.</Trans>
        </Empty>
      )}
      <div className="grid items-start gap-4 wide:grid-cols-2">
        {facets.map((f) => (
          <FacetCard key={f.name} facet={f} change={setChanging} />
        ))}
      </div>
      <NewFacet />
      <Import />
      <Dialog
        open={changing !== null}
        onOpen={(o) => !o && setChanging(null)}
        title={changing?.term?.title ?? changing?.facet.title ?? ""}
      >
        {changing?.term && (
          <ChangeTerm facet={changing.facet} term={changing.term} done={() => setChanging(null)} />
        )}
        {changing && !changing.term && <ChangeFacet facet={changing.facet} done={() => setChanging(null)} />}
      </Dialog>
    </>
  );
}

/** What is being changed: a facet, or one of its terms. */
interface Chosen {
  facet: Facet;
  term?: Term;
}

function FacetCard({ facet, change }: { facet: Facet; change: (c: Chosen) => void }) {
  return (
    <section aria-label={facet.title} className="rounded-card border border-line bg-leaf px-4 py-3">
      <h2 className="mb-1 flex items-baseline gap-3 border-b-2 border-gilt pb-1 text-lead">
        <span className="flex-1">{facet.title}</span>
        <Button weight="text" className="font-sans text-base" onClick={() => change({ facet })}>
          <Trans>Change</Trans>
          <span className="sr-only"> {facet.title}</span>
        </Button>
      </h2>
      <ul className="mb-2 divide-y divide-line">
        {asTree(facet.terms).map(({ term, depth }) => (
          <li key={term.name} className="flex items-baseline gap-3 py-1" style={{ paddingLeft: depth * 20 }}>
            <span className="min-w-0 flex-1">
              <span className={term.retired ? "text-faded line-through" : ""}>{term.title}</span>{" "}
              <span className="font-mono text-small text-faded">{term.name}</span>
              {term.retired && (
                <span className="text-small text-faded">
                  <Trans>retired</Trans>
                </span>
              )}
            </span>
            <Button weight="text" onClick={() => change({ facet, term })}>
              <Trans>Change</Trans>
              <span className="sr-only"> {term.title}</span>
            </Button>
          </li>
        ))}
      </ul>
      <NewTerm facet={facet} />
    </section>
  );
}

function NewTerm({ facet }: { facet: Facet }) {
  const [title, setTitle] = useState("");
  const add = useAddLabel();
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate({ facet: facet.name, term: nameFrom(title), title }, { onSuccess: () => setTitle("") });
      }}
    >
      <Trouble error={add.error} />
      <div className="flex gap-2">
        <input
          aria-label={t`New term of ${facet.title}`}
          placeholder={t`Another one`}
          required
          className={fieldLook}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
        <Button type="submit" disabled={add.isPending}>
          <Trans>Add</Trans>
          <span className="sr-only">
            <Trans>to {facet.title}</Trans>
          </span>
        </Button>
      </div>
    </form>
  );
}

function NewFacet() {
  const [title, setTitle] = useState("");
  const add = useAddLabel();
  return (
    <form
      className="mt-6 max-w-[560px]"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate({ facet: nameFrom(title), title }, { onSuccess: () => setTitle("") });
      }}
    >
      <Trouble error={add.error} />
      <Field id="new-facet" label={t`Another facet`} hint={t`For instance Audience, or Region.`}>
        <div className="flex gap-2">
          <input
            id="new-facet"
            required
            className={fieldLook}
            value={title}
            onChange={(e) => setTitle(e.target.value)}
          />
          <Button type="submit" disabled={add.isPending}>
            <Trans>Add facet</Trans>
          </Button>
        </div>
      </Field>
    </form>
  );
}

function Import() {
  const add = useImportLabels();
  return (
    <TableFile
      title={t`From a table`}
      hint={t`CSV with the columns facet, term and title. What is there already stays as it is.`}
      error={add.error}
      busy={add.isPending}
      read={(table) => add.mutate(table, { onSuccess: () => toast.success(t`The labels are there`) })}
    />
  );
}

function ChangeFacet({ facet, done }: { facet: Facet; done: () => void }) {
  const [title, setTitle] = useState(facet.title);
  const [single, setSingle] = useState(facet.single ?? false);
  const [open, setOpen] = useState(facet.open ?? false);
  const [kinds, setKinds] = useState<Kind[]>(facet.required_for ?? []);
  const set = useSetFacet(facet.name);
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate({ title, single, open, required_for: kinds }, { onSuccess: done });
      }}
    >
      <Trouble error={set.error} title={t`It stays as it was`} />
      <Field id="label-title" label={t`Title`} hint={t`Applications go on reading it as ${facet.name}.`}>
        <input
          id="label-title"
          required
          className={fieldLook}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      </Field>
      <Box checked={single} set={setSingle} label={t`An entry has one of them at most`} />
      <Box checked={open} set={setOpen} label={t`Contributors add terms too`} />
      <SomeOf
        title={t`Needed before an entry is submitted`}
        of={Object.entries(kindWords).map(([name, k]) => ({ name, title: k.name }))}
        chosen={kinds}
        toggle={(kind, on) => setKinds(on ? [...kinds, kind as Kind] : kinds.filter((k) => k !== kind))}
      />
      <Button type="submit" weight="main" className="self-start" disabled={set.isPending}>
        <Trans>Save</Trans>
      </Button>
    </form>
  );
}

function Box({ checked, set, label }: { checked: boolean; set: (on: boolean) => void; label: string }) {
  return (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        className="size-4 accent-gold"
        checked={checked}
        onChange={(e) => set(e.target.checked)}
      />
      {label}
    </label>
  );
}
