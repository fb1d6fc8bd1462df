import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useUses } from "../../data/hooks";
import { KindTile } from "../../parts/basics";

/** What uses this entry, directly and through others. */
export function UsedBy({ slug }: { slug: string }) {
  const users = useUses(slug).data?.items ?? [];
  if (users.length === 0) return null;
  return (
    <section aria-labelledby="used-by" className="mt-10">
      <h2 id="used-by" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Used by {plural(users.length, { one: "one entry", other: "# entries" })}</Trans>
      </h2>
      <ul className="grid gap-x-6 gap-y-1.5 sm:grid-cols-2">
        {users.map((u) => (
          <li key={`${u.slug}@${u.version}`} className="flex items-center gap-2.5">
            <KindTile kind={u.kind} />
            <Link to="/entries/$slug" params={{ slug: u.slug }} className="hover:underline">
              {u.title}
            </Link>
            <span className="text-small text-faded">
              {u.how
                ? u.pinned
                  ? t`${u.how}, stays at ${u.pinned}`
                  : u.how
                : t`through ${u.through.join(", ")}`}
              {u.state !== "published" && ` · ${u.state.replace("-", " ")}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
