import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate } from "@tanstack/react-router";
import { toast } from "sonner";
import { createEntry } from "../../data/hooks";
import { useSimilarGroups, useRecurringPassages, type Similar } from "../../data/import";
import { stateWords } from "../../data/words";
import { Button, Empty, KindTile, Trouble, Waiting } from "../../parts/basics";

/** What the library says more than once: entries to merge, and passages to take out into snippets. */
export function SimilarPage() {
  const groups = useSimilarGroups();
  const passages = useRecurringPassages();
  if (groups.error ?? passages.error) return <Trouble error={groups.error ?? passages.error} />;
  if (!groups.data || !passages.data) return <Waiting lines={8} />;
  return (
    <>
      <h1 className="mb-5 text-title max-sm:text-head">
        <Trans>Similar entries</Trans>
      </h1>
      <section aria-labelledby="groups" className="mb-9">
        <h2 id="groups" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
          <Trans>Entries that say nearly the same</Trans>
        </h2>
        {groups.data.groups.length === 0 && (
          <Empty title={t`Nothing says the same twice`}>
            <Trans>Entries that are alike would stand here, to be merged.</Trans>
          </Empty>
        )}
        <div className="grid gap-4 wide:grid-cols-2">
          {groups.data.groups.map((g) => (
            <Group key={g.items[0]?.slug} items={g.items} />
          ))}
        </div>
      </section>
      <section aria-labelledby="passages">
        <h2 id="passages" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
          <Trans>Passages that could be snippets</Trans>
        </h2>
        {passages.data.passages.length === 0 && (
          <Empty title={t`No passage stands in three entries`}>
            <Trans>Sentences that recur would stand here, with the entries that have them.</Trans>
          </Empty>
        )}
        <ul className="flex flex-col gap-4">
          {passages.data.passages.map((p) => (
            <li key={p.text} className="rounded-card border border-line bg-leaf px-5 py-4">
              <div className="flex flex-wrap items-start justify-between gap-4">
                <blockquote className="max-w-prose min-w-0 flex-1 basis-72 font-serif whitespace-pre-wrap">
                  {p.text}
                </blockquote>
                <ToSnippet text={p.text} />
              </div>
              <p className="mt-2 flex flex-wrap items-center gap-x-4 text-small text-faded">
                <Trans>{p.words} words, in</Trans>
                {p.in.map((u) => (
                  <Link
                    key={u.entry}
                    to="/entries/$slug"
                    params={{ slug: u.entry }}
                    className="inline-flex min-h-8 items-center wrap-anywhere text-gold hover:underline"
                  >
                    {u.title || u.entry}
                  </Link>
                ))}
              </p>
            </li>
          ))}
        </ul>
      </section>
    </>
  );
}

/** A passage taken as a new snippet, which the entries can then include. */
function ToSnippet({ text }: { text: string }) {
  const navigate = useNavigate();
  const make = async () => {
    try {
      const title = text.split(/\s+/).slice(0, 6).join(" ");
      const made = await createEntry({ kind: "snippet", title, body: text + "\n" });
      void navigate({ to: "/entries/$slug/edit", params: { slug: made.slug } });
    } catch (e) {
      toast.error((e as Error).message);
    }
  };
  return (
    <Button onClick={() => void make()}>
      <Trans>Make a snippet</Trans>
    </Button>
  );
}

function Group({ items }: { items: Similar[] }) {
  return (
    <ul className="divide-y divide-line rounded-card border border-line bg-leaf px-4">
      {items.map((it, i) => (
        <li key={`${it.slug}@${it.version}`} className="flex items-center gap-2.5 py-2.5">
          <KindTile kind={it.kind} />
          <Link
            to="/entries/$slug"
            params={{ slug: it.slug }}
            className="min-w-0 flex-1 wrap-anywhere hover:underline"
          >
            {it.title || it.slug}
          </Link>
          <span className="text-small text-faded">
            {stateWords[it.state]}
            {i > 0 && t` · ${it.likeness} % alike`}
          </span>
        </li>
      ))}
    </ul>
  );
}
