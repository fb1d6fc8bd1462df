import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate } from "@tanstack/react-router";
import { toast } from "sonner";
import { createEntry } from "../../data/hooks";
import { tableOf, useRepetition, type Drifted, type Repetition } from "../../data/stocktake";
import { stateWords } from "../../data/words";
import { Bulk } from "../../parts/bulk/bulk";
import { listed } from "../../parts/bulk/plan";
import { Button, Empty, KindTile, Trouble, Waiting } from "../../parts/basics";

/** What the library says more than once: entries to merge, and passages to take out into snippets. */
export function SimilarPage() {
  const found = useRepetition();
  if (found.error) return <Trouble error={found.error} />;
  if (!found.data) return <Waiting lines={8} />;
  const { groups, passages, drifted } = found.data;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-baseline gap-4">
        <h1 className="flex-1 text-title max-sm:text-head">
          <Trans>Similar entries</Trans>
        </h1>
        <a
          href={tableOf("repetition", {})}
          download="repetition.csv"
          className="text-small font-semibold text-gold hover:underline"
        >
          <Trans>CSV</Trans>
        </a>
      </header>
      <section aria-labelledby="groups" className="mb-9">
        <h2 id="groups" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
          <Trans>Entries that say nearly the same</Trans>
        </h2>
        {groups.length === 0 && (
          <Empty title={t`Nothing says the same twice`}>
            <Trans>Entries that are alike would stand here, to be merged.</Trans>
          </Empty>
        )}
        <div className="grid gap-4 wide:grid-cols-2">
          {groups.map((g) => (
            <Group key={g.items[0]?.slug} group={g} />
          ))}
        </div>
      </section>
      <section aria-labelledby="passages">
        <h2 id="passages" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
          <Trans>Passages that could be snippets</Trans>
        </h2>
        {passages.length === 0 && (
          <Empty title={t`No passage stands in three entries`}>
            <Trans>Sentences that recur would stand here, with the entries that have them.</Trans>
          </Empty>
        )}
        <ul className="flex flex-col gap-4">
          {passages.map((p) => (
            <li key={p.text} className="rounded-card border border-line bg-leaf px-5 py-4">
              <div className="flex flex-wrap items-start justify-between gap-4">
                <blockquote className="max-w-prose min-w-0 flex-1 basis-72 font-serif whitespace-pre-wrap">
                  {p.text}
                </blockquote>
                <ToSnippet text={p.text} />
              </div>
              <p className="mt-2 flex flex-wrap items-center gap-x-4 text-small text-faded">
                <Trans>
                  {p.words} words, {p.saves} saved as a snippet, in
                </Trans>
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
      {drifted.length > 0 && <Behind drifted={drifted} />}
    </>
  );
}

/** What was adapted, and does not have what its origin has said since. */
function Behind({ drifted }: { drifted: Drifted[] }) {
  return (
    <section aria-labelledby="drifted" className="mt-9">
      <h2 id="drifted" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Adaptations behind their origin</Trans>
      </h2>
      <ul className="divide-y divide-line rounded-card border border-line bg-leaf px-4">
        {drifted.map((d) => (
          <li key={d.slug} className="flex flex-wrap items-baseline gap-x-3 py-2.5">
            <Link
              to="/entries/$slug"
              params={{ slug: d.slug }}
              className="min-w-0 flex-1 wrap-anywhere hover:underline"
            >
              {d.title || d.slug}
            </Link>
            <span className="text-small text-faded">
              <Trans>
                {d.of_title} has gone on from version {d.from} to {d.now} · {d.saves} words are new there ·{" "}
                {d.likeness} % alike
              </Trans>
            </span>
          </li>
        ))}
      </ul>
    </section>
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

function Group({ group: { items, saves } }: { group: Repetition["groups"][number] }) {
  return (
    <section className="rounded-card border border-line bg-leaf px-4" aria-label={items[0]?.title}>
      <p className="flex items-baseline gap-3 border-b border-line py-2 text-small text-faded">
        <span className="flex-1">
          <Trans>{saves} words are looked after more than once</Trans>
        </span>
        <Bulk entries={listed(items)} can={["label", "transfer", "retire"]} />
      </p>
      <ul className="divide-y divide-line">
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
    </section>
  );
}
