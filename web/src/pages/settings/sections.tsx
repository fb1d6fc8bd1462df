import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { ArrowDown, ArrowUp, Plus } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import {
  useDeleteSection,
  useOrderSections,
  useSections,
  useSetSection,
  type Section,
} from "../../data/sections";
import { Button, Empty, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { nameFrom } from "../../data/words";

/** The sections of the shelf: what is in each, and in which order they stand. */
export function SectionsPage() {
  const sections = useSections();
  const [editing, setEditing] = useState<Section | "new">();
  const order = useOrderSections();
  if (sections.error) return <Trouble error={sections.error} title={t`The sections cannot be shown`} />;
  if (!sections.data) return <Waiting lines={8} />;
  const all = sections.data.items;
  const move = (from: number, to: number) => {
    const names = all.map((s) => s.name);
    names.splice(to, 0, ...names.splice(from, 1));
    order.mutate(names, { onError: (e) => toast.error(e.message) });
  };
  return (
    <div className="max-w-[760px]">
      <div className="mb-2 flex flex-wrap items-center gap-4">
        <h1 className="text-title max-sm:text-head">
          <Trans>Sections</Trans>
        </h1>
        <Button className="ms-auto" onClick={() => setEditing("new")}>
          <Plus size={15} aria-hidden />
          <Trans>Add a section</Trans>
        </Button>
      </div>
      <p className="mb-5 max-w-prose text-faded">
        <Trans>
          What colleagues see first on the shelf: a saved search, or entries that you pick, with a word about
          them.
        </Trans>
      </p>
      {all.length === 0 && <Empty title={t`There are no sections yet`} />}
      <ol className="divide-y divide-line rounded-card border border-line bg-leaf empty:hidden">
        {all.map((s, i) => (
          <li key={s.name} className="flex flex-wrap items-center gap-3 px-4 py-2.5">
            <span className="min-w-0 flex-1">
              <b>{s.title}</b>{" "}
              <span className="text-small text-faded">
                {s.query ? `“${s.query}”` : t`${s.entries?.length ?? 0} picked by hand`}{" "}
                <Trans>· {s.total} on the shelf</Trans>
              </span>
              {s.note && <span className="block text-small text-stop">{s.note}</span>}
            </span>
            <Button
              weight="text"
              aria-label={t`Move ${s.title} up`}
              disabled={i === 0}
              onClick={() => move(i, i - 1)}
            >
              <ArrowUp size={15} aria-hidden />
            </Button>
            <Button
              weight="text"
              aria-label={t`Move ${s.title} down`}
              disabled={i === all.length - 1}
              onClick={() => move(i, i + 1)}
            >
              <ArrowDown size={15} aria-hidden />
            </Button>
            <Button weight="text" aria-label={t`Change ${s.title}`} onClick={() => setEditing(s)}>
              <Trans>Change</Trans>
            </Button>
          </li>
        ))}
      </ol>
      {editing && (
        <SectionDialog
          key={editing === "new" ? "" : editing.name}
          section={editing === "new" ? undefined : editing}
          close={() => setEditing(undefined)}
        />
      )}
    </div>
  );
}

function SectionDialog({ section, close }: { section?: Section; close: () => void }) {
  const [title, setTitle] = useState(section?.title ?? "");
  const [introduction, setIntroduction] = useState(section?.introduction ?? "");
  const [query, setQuery] = useState(section?.query ?? "");
  const [entries, setEntries] = useState((section?.entries ?? []).join("\n"));
  const set = useSetSection();
  const drop = useDeleteSection();
  const name = section?.name ?? nameFrom(title);
  const picked = entries.split(/\s+/).filter(Boolean);
  return (
    <Dialog open onOpen={close} title={section ? t`Change ${section.title}` : t`Add a section`}>
      <form
        className="flex flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          const change = {
            title,
            introduction,
            query,
            entries: picked,
            starter: section?.starter,
            number: section?.number,
          };
          set.mutate(
            { name, change },
            {
              onSuccess: () => {
                close();
                toast.success(t`Saved`);
              },
            },
          );
        }}
      >
        <Trouble error={set.error ?? drop.error} title={t`It stays as it was`} />
        <Field id="section-title" label={t`Title`}>
          <input
            id="section-title"
            required
            className={fieldLook}
            value={title}
            onChange={(e) => setTitle(e.target.value)}
          />
        </Field>
        <Field id="section-introduction" label={t`Introduction`}>
          <textarea
            id="section-introduction"
            rows={3}
            className={fieldLook}
            value={introduction}
            onChange={(e) => setIntroduction(e.target.value)}
          />
        </Field>
        <Field
          id="section-query"
          label={t`What it finds`}
          hint={t`A search as in the field above: letter department:customer-care`}
        >
          <input
            id="section-query"
            className={`${fieldLook} font-mono text-small`}
            value={query}
            onChange={(e) => setQuery(e.target.value)}
          />
        </Field>
        <Field id="section-entries" label={t`Or what you pick`} hint={t`Slugs in order, one a line.`}>
          <textarea
            id="section-entries"
            rows={4}
            className={`${fieldLook} font-mono text-small`}
            value={entries}
            onChange={(e) => setEntries(e.target.value)}
          />
        </Field>
        <div className="flex gap-4">
          <Button type="submit" weight="main" disabled={set.isPending}>
            <Trans>Save</Trans>
          </Button>
          {section && (
            <Button
              disabled={drop.isPending}
              onClick={() =>
                drop.mutate(section.name, {
                  onSuccess: () => {
                    close();
                    toast.success(t`Gone; its entries are where they were`);
                  },
                })
              }
            >
              <Trans>Delete</Trans>
            </Button>
          )}
        </div>
      </form>
    </Dialog>
  );
}
