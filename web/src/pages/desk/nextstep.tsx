import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { toast } from "sonner";
import type { DeskItem } from "../../data/api";
import { useStep } from "../../data/hooks";
import { titleOf } from "../../data/words";
import { AnswerOffer, Renew } from "../../parts/answers";
import { Button } from "../../parts/basics";
import { Transfer } from "../../parts/transfer";

const look = "rounded-field border border-line px-4 py-1.5 font-semibold hover:bg-wash";

/** The one action that a thing on the desk needs. */
export function NextStep({ item }: { item: DeskItem }) {
  switch (item.action) {
    case "publish":
      if (item.seen) return <Publish item={item} seen={item.seen} />;
      return (
        <Link to="/entries/$slug/review" params={{ slug: item.slug }} className={look}>
          <Trans>Read it</Trans>
        </Link>
      );
    case "renew":
      return <Renew slug={item.slug} name={titleOf(item)} />;
    case "accept":
      return <AnswerOffer slug={item.slug} name={titleOf(item)} />;
    case "transfer":
      return <Transfer slug={item.slug} />;
    case "approve":
      return (
        <Link to="/entries/$slug/review" params={{ slug: item.slug }} className={look}>
          <Trans>Review</Trans>
        </Link>
      );
    case "answer":
      return (
        <Link to="/entries/$slug/review" params={{ slug: item.slug }} className={look}>
          <Trans>Answer</Trans>
        </Link>
      );
    case "compare":
      return (
        <Link to="/entries/$slug/origin" params={{ slug: item.slug }} className={look}>
          <Trans>See what changed</Trans>
        </Link>
      );
    case "answer-report":
      return (
        <Link to="/entries/$slug" params={{ slug: item.slug }} hash="reports" className={look}>
          <Trans>Read it</Trans>
        </Link>
      );
    default:
      return (
        <Link to="/entries/$slug/edit" params={{ slug: item.slug }} className={look}>
          {item.action === "begin" ? t`Fix` : t`Finish`}
        </Link>
      );
  }
}

function Publish({ item, seen }: { item: DeskItem; seen: string }) {
  const step = useStep(item.slug);
  return (
    <Button
      weight="main"
      disabled={step.isPending}
      onClick={() =>
        step.mutate(
          { step: "publish", seen },
          {
            onSuccess: () => toast.success(t`${titleOf(item)} is on the shelf`),
            onError: (e) => toast.error(e.message),
          },
        )
      }
    >
      <Trans>Publish</Trans>
    </Button>
  );
}
