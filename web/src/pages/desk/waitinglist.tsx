import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import type { DeskItem } from "../../data/api";
import { useCancelPublication, usePublications, useWaiting, type SeenEntry } from "../../data/lifecycle";
import { useSession } from "../../data/hooks";
import { agoWords, timeWords } from "../../data/times";
import { titleOf } from "../../data/words";
import { Button, Empty, sentence, Spine, Trouble, Waiting } from "../../parts/basics";
import { NextStep } from "./nextstep";
import { PublishTogether } from "./publications";

/** What waits for me, in the order of need, each with the one action that it needs. */
export function WaitingList() {
  const desk = useWaiting();
  const [picked, setPicked] = useState<SeenEntry[]>([]);
  if (desk.error) return <Trouble error={desk.error} title={t`The desk could not be read`} />;
  if (!desk.data) return <Waiting />;
  const items = desk.data.pages.flatMap((p) => p.items);
  const total = desk.data.pages[0]?.total ?? 0;
  const approved = items.filter((i) => i.waits === "approved" || i.waits === "failed");
  const isPicked = (i: DeskItem) => picked.some((p) => p.slug === i.slug);
  const pick = (i: DeskItem) =>
    setPicked(
      isPicked(i)
        ? picked.filter((p) => p.slug !== i.slug)
        : [...picked, { slug: i.slug, seen: i.seen ?? "" }],
    );
  return (
    <>
      <Scheduled />
      {total === 0 ? (
        <Empty title={t`Nothing waits for you`}>
          <Trans>
            Reviews to do, drafts of yours, versions to publish and entries to look at again will stand here.
          </Trans>
        </Empty>
      ) : (
        <p className="mb-3 text-faded">
          {plural(total, { one: "1 thing waits for you", other: "# things wait for you" })}
        </p>
      )}
      {approved.length > 0 && <PublishTogether picked={picked} done={() => setPicked([])} />}
      <ol className="flex flex-col gap-2.5">
        {items.map((i) => (
          <Row
            key={i.waits + i.slug}
            item={i}
            picked={isPicked(i)}
            pick={approved.includes(i) && i.seen ? () => pick(i) : undefined}
          />
        ))}
      </ol>
      {desk.hasNextPage && (
        <Button className="mt-4" disabled={desk.isFetchingNextPage} onClick={() => void desk.fetchNextPage()}>
          <Trans>Show more</Trans>
        </Button>
      )}
    </>
  );
}

/** By whom something waits is said where it is someone else's doing. */
const others = ["review", "overdue", "approved"];

function Row({ item, picked, pick }: { item: DeskItem; picked: boolean; pick?: () => void }) {
  const why = others.includes(item.waits) ? `${item.by}: ${item.why}` : item.why;
  const page = ["stale", "orphan", "lost", "offered"].includes(item.waits)
    ? "/entries/$slug"
    : "/entries/$slug/review";
  return (
    <li className="flex overflow-hidden rounded-card border border-line bg-leaf">
      <Spine kind={item.kind} />
      <div className="flex min-w-0 flex-1 flex-wrap items-center gap-x-4 gap-y-2 px-4 py-3">
        {pick && (
          <input
            type="checkbox"
            className="size-5 accent-gold"
            aria-label={t`Publish ${titleOf(item)} together with others`}
            checked={picked}
            onChange={pick}
          />
        )}
        <div className="min-w-[220px] flex-1">
          <h2 className="text-[17px] leading-[22px]">
            <Link to={page} params={{ slug: item.slug }} className="wrap-anywhere hover:underline">
              {titleOf(item)}
            </Link>
          </h2>
          <p className="text-small">{sentence(why)}</p>
          <p className="text-small text-faded">
            <Trans>
              version {item.version} · {agoWords(item.since)}
            </Trans>
          </p>
        </div>
        <NextStep item={item} />
      </div>
    </li>
  );
}

/** What is going to be published when, with the way to have it wait. */
function Scheduled() {
  const curator = useSession().data?.role === "curator";
  const waiting = usePublications(curator).data?.items.filter((p) => !p.failed) ?? [];
  const drop = useCancelPublication();
  if (waiting.length === 0) return null;
  return (
    <ul aria-label={t`To be published`} className="mb-5 flex flex-col gap-2">
      {waiting.map((p) => (
        <li
          key={p.id}
          className="flex flex-wrap items-center gap-x-4 gap-y-1 rounded-card border border-line bg-wash px-4 py-2.5"
        >
          <p className="min-w-0 flex-1">
            <Trans>
              <b>{timeWords(p.at)}</b>: {p.slugs.join(", ")} will be published{" "}
              <span className="text-small text-faded">(set by {p.set_by})</span>
            </Trans>
          </p>
          <Button
            weight="text"
            onClick={() =>
              drop.mutate(p.id, {
                onSuccess: () => toast.success(t`It will not be published then`),
                onError: (e) => toast.error(e.message),
              })
            }
          >
            <Trans>Cancel</Trans>
          </Button>
        </li>
      ))}
    </ul>
  );
}
