import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useSearch } from "@tanstack/react-router";
import type { Session } from "../../data/api";
import { useState } from "react";
import { useFavourites } from "../../data/favourites";
import { useLabels, useSession, useSome, type Narrowing } from "../../data/hooks";
import { projects } from "../../data/projects";
import { recentItems } from "../../data/recent";
import { dateWords } from "../../data/times";
import { termTitle } from "../../data/words";
import { Button, Empty, ShelfEdge, Waiting } from "../../parts/basics";
import { Book } from "./book";
import { Find } from "./find";
import { Sections } from "./sections";

/** A colleague's home: groups of entries, or what was searched for. */
export function Shelf() {
  const narrowing = useSearch({ strict: false }) as Narrowing;
  const session = useSession().data;
  const searching = Object.values(narrowing).some((v) => v !== undefined);
  if (!session) return null;
  return searching ? <Find narrowing={narrowing} /> : <Home session={session} />;
}

function Home({ session }: { session: Session }) {
  const labels = useLabels().data;
  const newest = useSome({ sort: "newest", limit: 4 });
  const mine = useSome({ department: [session.department ?? ""], limit: 4 }, Boolean(session.department));
  const recent = recentItems(session.name).slice(0, 4);
  const favourites = useFavourites().data?.items ?? [];
  const [all, setAll] = useState(false);
  if (!newest.data) return <Waiting lines={9} />;
  const department = termTitle(labels, "department", session.department ?? "");
  return (
    <>
      <div className="mb-3 flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-title">
          <Trans>The shelf</Trans>
        </h1>
        <p className="text-faded">
          <Trans>{newest.data.total} entries that colleagues may use</Trans>
        </p>
        <Link to="/best" className="ms-auto font-semibold text-gold hover:underline">
          <Trans>The best of the shelf</Trans>
        </Link>
      </div>
      <Departments />
      <Sections />
      {newest.data.total === 0 && (
        <Empty title={t`Nothing is on the shelf yet`}>
          <Trans>Write a first entry with New entry, have it reviewed, and publish it.</Trans>
        </Empty>
      )}
      {favourites.length > 0 && (
        <ShelfEdge
          title={t`Favourites`}
          note={plural(favourites.length, { one: "1 entry", other: "# entries" })}
          more={
            !all &&
            favourites.length > 8 && (
              <Button weight="text" onClick={() => setAll(true)}>
                <Trans>All {favourites.length}</Trans>
              </Button>
            )
          }
        >
          {(all ? favourites : favourites.slice(0, 8)).map((i) => (
            <Book key={i.slug} item={i} />
          ))}
        </ShelfEdge>
      )}
      {recent.length > 0 && (
        <ShelfEdge title={t`At hand`} note={t`what you used last`}>
          {recent.map((i) => (
            <Book key={i.slug} item={i} />
          ))}
        </ShelfEdge>
      )}
      {projects(session.name).map((p) => (
        <ShelfEdge key={p.name} title={p.name} note={t`what you use for it`}>
          {p.items.slice(0, 8).map((i) => (
            <Book key={i.slug} item={i} />
          ))}
        </ShelfEdge>
      ))}
      {newest.data.total > 0 && (
        <ShelfEdge
          title={t`New on the shelf`}
          note={t`the latest of ${dateWords(newest.data.items[0]?.published_at)}`}
        >
          {newest.data.items.map((i) => (
            <Book key={i.slug} item={i} />
          ))}
        </ShelfEdge>
      )}
      {mine.data && mine.data.total > 0 && (
        <ShelfEdge
          title={department}
          note={t`your department`}
          more={
            <Link
              to="/"
              search={{ department: [session.department ?? ""] }}
              className="font-semibold text-gold hover:underline"
            >
              <Trans>All {mine.data.total}</Trans>
            </Link>
          }
        >
          {mine.data.items.map((i) => (
            <Book key={i.slug} item={i} />
          ))}
        </ShelfEdge>
      )}
    </>
  );
}

/** The departments, each with its number of entries: a click narrows the shelf. */
function Departments() {
  const departments = useLabels().data?.find((f) => f.name === "department")?.terms ?? [];
  return (
    <ul className="mb-6 flex flex-wrap gap-2" aria-label={t`Departments`}>
      {departments
        .filter((t) => t.count > 0)
        .map((t) => (
          <li key={t.name}>
            <Link
              to="/"
              search={{ department: [t.name] }}
              className="inline-block rounded-full border border-line bg-leaf px-3 py-0.5 text-small text-faded hover:bg-wash"
            >
              {t.title} <span className="font-bold text-ink">{t.count}</span>
            </Link>
          </li>
        ))}
    </ul>
  );
}
