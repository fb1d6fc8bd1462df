import { Link } from "@tanstack/react-router";
import { toast } from "sonner";
import type { DeskItem } from "../../data/api";
import { useDesk, useStep } from "../../data/hooks";
import { agoWords, titleOf } from "../../data/words";
import { Button, Empty, sentence, Spine, Trouble, Waiting } from "../../parts/basics";

/** What waits for me, oldest first, each with the one action that it needs. */
export function Desk() {
  const desk = useDesk();
  if (desk.error) return <Trouble error={desk.error} title="The desk could not be read" />;
  if (!desk.data) return <Waiting />;
  const items = desk.data.items;
  return (
    <>
      <div className="mb-5 flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-title">My desk</h1>
        <p className="text-faded">
          {items.length === 1 ? "1 thing waits for you" : `${items.length} things wait for you`}
        </p>
      </div>
      {items.length === 0 ? (
        <Empty title="Nothing waits for you">
          Drafts of yours, reviews to do and versions to publish will stand here, oldest first.
        </Empty>
      ) : (
        <ol className="flex flex-col gap-2.5">
          {items.map((i) => (
            <Row key={i.slug} item={i} />
          ))}
        </ol>
      )}
    </>
  );
}

function Row({ item }: { item: DeskItem }) {
  const why = item.action === "submit" ? item.why : `${item.by}: ${item.why}`;
  return (
    <li className="flex overflow-hidden rounded-card border border-line bg-leaf">
      <Spine kind={item.kind} />
      <div className="flex flex-1 flex-wrap items-center gap-x-4 gap-y-2 px-4 py-3">
        <div className="min-w-[220px] flex-1">
          <h2 className="text-[17px] leading-[22px]">
            <Link to="/entries/$slug/review" params={{ slug: item.slug }} className="hover:underline">
              {titleOf(item)}
            </Link>
          </h2>
          <p className="text-small">{sentence(why)}</p>
          <p className="text-small text-faded">
            version {item.version} · {agoWords(item.since)}
          </p>
        </div>
        <NextStep item={item} />
      </div>
    </li>
  );
}

function NextStep({ item }: { item: DeskItem }) {
  const step = useStep(item.slug);
  const look = "rounded-field border border-line px-4 py-1.5 font-semibold hover:bg-wash";
  switch (item.action) {
    case "publish":
      return (
        <Button
          weight="main"
          disabled={step.isPending}
          onClick={() =>
            step.mutate(
              { step: "publish" },
              {
                onSuccess: () => toast.success(`${titleOf(item)} is on the shelf`),
                onError: (e) => toast.error(e.message),
              },
            )
          }
        >
          Publish
        </Button>
      );
    case "approve":
      return (
        <Link to="/entries/$slug/review" params={{ slug: item.slug }} className={look}>
          Review
        </Link>
      );
    default:
      return (
        <Link to="/entries/$slug/edit" params={{ slug: item.slug }} className={look}>
          Finish
        </Link>
      );
  }
}
