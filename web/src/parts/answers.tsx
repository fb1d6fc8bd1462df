import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { toast } from "sonner";
import { useRenew } from "../data/lifecycle";
import { useAnswerOffer } from "../data/people";
import { Button } from "./basics";

interface Props {
  slug: string;
  /** What the entry is called in the notice that follows. */
  name: string;
  quiet?: boolean;
}

/** Says that what is on the shelf was looked at again, and stays. */
export function Renew({ slug, name, quiet }: Props) {
  const keep = useRenew(slug);
  return (
    <Button
      weight={quiet ? "text" : "quiet"}
      disabled={keep.isPending}
      onClick={() =>
        keep.mutate("", {
          onSuccess: () => toast.success(t`${name} stays as it is`),
          onError: (e) => toast.error(e.message),
        })
      }
    >
      <Trans>Still good</Trans>
    </Button>
  );
}

/** Accepts an entry that is offered to me, or leaves it with its owner. */
export function AnswerOffer({ slug, name, quiet }: Props) {
  const answer = useAnswerOffer(slug);
  const say = (accept: boolean) =>
    answer.mutate(accept, {
      onSuccess: () =>
        toast.success(accept ? t`You answer for ${name} now` : t`${name} stays with its owner`),
      onError: (e) => toast.error(e.message),
    });
  return (
    <div className="flex gap-2">
      <Button weight={quiet ? "text" : "quiet"} disabled={answer.isPending} onClick={() => say(false)}>
        <Trans>Decline</Trans>
      </Button>
      <Button weight={quiet ? "text" : "main"} disabled={answer.isPending} onClick={() => say(true)}>
        <Trans>Accept</Trans>
      </Button>
    </div>
  );
}
