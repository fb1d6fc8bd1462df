import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useLocation, useNavigate, useParams } from "@tanstack/react-router";
import { useEffect } from "react";
import { useEntry, useSearch, useShelfEntry } from "../../data/hooks";
import { titleOf } from "../../data/words";
import { KindTile, Trouble, Waiting } from "../../parts/basics";
import { Gallery } from "../../parts/gallery";
import { WrittenText } from "../../parts/text";
import { Head } from "./head";
import { History } from "./history";
import { Manage } from "./manage";
import { CameFrom } from "./origins";
import { Published } from "./published";
import { Retired } from "./retired";

/** An entry to be filled in and taken away. */
export function Entry() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const { base } = useLocation().search as { base?: string };
  const entry = useShelfEntry(slug, base === "true");
  useOwnAddress(slug, entry.data?.slug);
  if (entry.error) return <AsWritten slug={slug} error={entry.error} />;
  if (!entry.data) return <Waiting lines={10} />;
  if (entry.data.retired) return <Retired entry={entry.data} />;
  return (
    <Published
      key={entry.data.slug + entry.data.version}
      entry={entry.data}
      name={entry.data.slug}
      base={base === "true"}
    />
  );
}

/** Puts an entry's own slug into the address, where it was opened by a name that it had or by a short code. */
function useOwnAddress(asked: string, own?: string) {
  const navigate = useNavigate();
  useEffect(() => {
    if (own && own !== asked)
      void navigate({ to: "/entries/$slug", params: { slug: own }, hash: true, replace: true });
  }, [asked, own, navigate]);
}

/** What cannot be filled in, as nothing of it is published or it has lost what it uses, is shown as it is written. */
function AsWritten({ slug, error }: { slug: string; error: unknown }) {
  const open = useEntry(slug);
  if (open.isPending) return <Waiting lines={10} />;
  if (!open.data) {
    return (
      <div className="flex flex-col items-start gap-4">
        <h1 className="text-head">
          <Trans>This entry is not on the shelf</Trans>
        </h1>
        <Trouble error={error} />
        <Nearest name={slug} />
        <Link to="/" className="font-semibold text-gold hover:underline">
          <Trans>Back to the shelf</Trans>
        </Link>
      </div>
    );
  }
  return (
    <>
      <Head entry={open.data} />
      <CameFrom entry={open.data} />
      <Manage entry={open.data} />
      <Gallery pictures={open.data.pictures} />
      {open.data.published !== undefined && (
        <div className="mb-5">
          <Trouble error={error} title={t`It cannot be filled in`} />
        </div>
      )}
      <div className="rounded-card border border-line bg-leaf p-5">
        <WrittenText body={open.data.body} />
      </div>
      <History slug={slug} />
    </>
  );
}

/** What is called nearly like an address that leads nowhere. */
function Nearest({ name }: { name: string }) {
  const near = useSearch(name.replaceAll("-", " ")).data?.items.slice(0, 3) ?? [];
  if (near.length === 0) return null;
  return (
    <section aria-labelledby="nearest">
      <h2 id="nearest" className="mb-1 text-lead">
        <Trans>Nearest by name</Trans>
      </h2>
      <ul className="flex flex-col gap-1">
        {near.map((i) => (
          <li key={i.slug} className="flex items-center gap-2">
            <KindTile kind={i.kind} />
            <Link
              to="/entries/$slug"
              params={{ slug: i.slug }}
              className="font-semibold text-gold hover:underline"
            >
              {titleOf(i)}
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}
