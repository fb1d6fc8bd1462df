import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { Heart, Rss } from "lucide-react";
import { toast } from "sonner";
import type { NewsItem } from "../../data/notify";
import { useFollow, useFollows, useNewFeed, useNews, useReadNews } from "../../data/notify";
import { agoWords } from "../../data/times";
import { happened } from "../../data/words";
import { Button, Empty, KindTile, sentence, Trouble, Waiting } from "../../parts/basics";

/** What has happened to what I follow and to what I answer for, the newest first. */
export function News() {
  const news = useNews();
  const read = useReadNews();
  if (news.error) return <Trouble error={news.error} title={t`The news could not be read`} />;
  if (!news.data) return <Waiting />;
  const items = news.data.pages.flatMap((p) => p.items);
  const unread = news.data.pages[0]?.unread ?? 0;
  return (
    <div className="grid items-start gap-7 wide:grid-cols-[1fr_300px]">
      <div>
        <div className="mb-3 flex min-h-9 items-center gap-4">
          <p className="flex-1 text-faded">{unread === 0 ? t`All read` : t`${unread} not read yet`}</p>
          {unread > 0 && items[0] && (
            <Button onClick={() => read.mutate(items[0]?.number ?? 0)}>
              <Trans>Mark all as read</Trans>
            </Button>
          )}
        </div>
        {items.length === 0 && (
          <Empty title={t`Nothing has happened yet`}>
            <Trans>Follow an entry on its page, or a department here at the side.</Trans>
          </Empty>
        )}
        <ol className="divide-y divide-line rounded-card border border-line bg-leaf empty:hidden">
          {items.map((n) => (
            <Row key={n.number} item={n} />
          ))}
        </ol>
        {news.hasNextPage && (
          <Button className="mt-4" onClick={() => void news.fetchNextPage()}>
            <Trans>Show more</Trans>
          </Button>
        )}
      </div>
      <Following />
    </div>
  );
}

function Row({ item }: { item: NewsItem }) {
  return (
    <li className="flex items-start gap-3 px-4 py-3">
      {item.kind ? <KindTile kind={item.kind} /> : <Heart size={18} aria-hidden className="mt-1 text-gold" />}
      <div className="min-w-0 flex-1">
        <p>
          {item.slug ? (
            <>
              <Link
                to="/entries/$slug"
                params={{ slug: item.slug }}
                className="font-semibold wrap-anywhere hover:underline"
              >
                {item.title || item.slug}
              </Link>{" "}
              {happened[item.action] ?? item.action}
              {item.version ? t`, version ${item.version}` : ""}
            </>
          ) : (
            <b>{t`Thank you`}</b>
          )}
          {item.unread && (
            <span className="ms-2 rounded-full bg-gold px-2 text-[11px] leading-4 font-bold text-on-gold">
              <Trans>new</Trans>
            </span>
          )}
        </p>
        {item.why && <p className="text-small">{sentence(item.why)}</p>}
        <p className="text-small text-faded">
          {item.by_name} · {agoWords(item.at)}
        </p>
      </div>
    </li>
  );
}

/** What I follow, and where a feed reader finds the news. */
function Following() {
  const follows = useFollows().data?.items ?? [];
  const follow = useFollow();
  const feed = useNewFeed();
  return (
    <aside aria-label={t`What I follow`} className="rounded-card border border-line bg-leaf px-4 py-3">
      <h2 className="mb-1.5 text-[17px]">
        <Trans>What I follow</Trans>
      </h2>
      {follows.length === 0 && (
        <p className="text-small text-faded">
          <Trans>Nothing yet, besides your own entries.</Trans>
        </p>
      )}
      <ul>
        {follows.map((f) => (
          <li key={f.what + f.name} className="flex items-center gap-2">
            <span className="min-w-0 flex-1 truncate">
              <span className="text-small text-faded">{f.what}</span> {f.name}
            </span>
            <Button weight="text" onClick={() => follow.mutate({ ...f, on: false })}>
              <span aria-hidden>
                <Trans>Stop</Trans>
              </span>
              <span className="sr-only">
                <Trans>Stop following {f.name}</Trans>
              </span>
            </Button>
          </li>
        ))}
      </ul>
      <h2 className="mt-4 mb-1.5 text-[17px]">
        <Trans>As a feed</Trans>
      </h2>
      <p className="text-small text-faded">
        <Trans>
          A private address for a feed reader. Whoever has it reads what you follow; a new one ends the old.
        </Trans>
      </p>
      {feed.data ? (
        <p className="mt-2 font-mono text-small break-all">{feed.data.address}</p>
      ) : (
        <Button
          className="mt-2"
          onClick={() => feed.mutate(undefined, { onError: (e) => toast.error(e.message) })}
        >
          <Rss size={15} aria-hidden />
          <Trans>Create feed address</Trans>
        </Button>
      )}
    </aside>
  );
}
