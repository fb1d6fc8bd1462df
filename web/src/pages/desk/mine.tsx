import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useSession } from "../../data/hooks";
import { useMine } from "../../data/people";
import { dateWords } from "../../data/times";
import { stateWords, titleOf } from "../../data/words";
import { Bulk } from "../../parts/bulk/bulk";
import { exportOf, listed } from "../../parts/bulk/plan";
import { Empty, KindTile, Trouble, Waiting } from "../../parts/basics";
import { Transfer } from "../../parts/transfer";

/** The entries that I answer for, as owner or as deputy. */
export function Mine() {
  const me = useSession().data?.name;
  const mine = useMine(true);
  if (mine.error) return <Trouble error={mine.error} title={t`Your entries could not be read`} />;
  if (!mine.data) return <Waiting />;
  const items = mine.data.items;
  if (items.length === 0) {
    return (
      <Empty title={t`You answer for no entry`}>
        <Trans>What you make is yours; others can hand over theirs.</Trans>
      </Empty>
    );
  }
  return (
    <>
      <div className="mb-3 flex items-center gap-4">
        <p className="flex-1 text-faded">
          {plural(items.length, { one: "You answer for 1 entry", other: "You answer for # entries" })}
        </p>
        <Bulk
          entries={listed(items)}
          can={["submit", "renew", "label", "retire"]}
          exported={exportOf(items)}
        />
        {me && items.some((i) => i.owner === me) && <Transfer allOf={me} />}
      </div>
      <ul className="divide-y divide-line rounded-card border border-line bg-leaf">
        {items.map((i) => (
          <li key={i.slug} className="flex flex-wrap items-center gap-x-3 gap-y-1 px-4 py-2.5">
            <KindTile kind={i.kind} />
            <Link
              to="/entries/$slug"
              params={{ slug: i.slug }}
              className="min-w-48 flex-1 wrap-anywhere hover:underline"
            >
              {titleOf(i)}
            </Link>
            <span className="text-small text-faded">
              <Trans>
                {stateWords[i.state]} · version {i.version} · {dateWords(i.published_at ?? i.saved_at)}
              </Trans>
              {i.owner !== me && t` · you stand in for ${i.owner_name}`}
            </span>
            {i.owner === me && <Transfer slug={i.slug} quiet />}
          </li>
        ))}
      </ul>
    </>
  );
}
