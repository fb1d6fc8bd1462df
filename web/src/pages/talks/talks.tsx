import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";
import { toast } from "sonner";
import { useDeleteTalk, useTalk, useTalks } from "../../data/talks";
import { timeWords } from "../../data/times";
import { Button, Empty, fieldLook, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { KeepAndShare } from "../../parts/sharetalk";
import { TalkView } from "../../parts/talkview";

/** My talks with models: nobody else sees them. */
export function TalksPage() {
  const [words, setWords] = useState("");
  const talks = useTalks(useDeferredValue(words.trim()));
  return (
    <>
      <header className="mb-5">
        <h1 className="text-title max-sm:text-head">
          <Trans>Your talks</Trans>
        </h1>
        <p className="text-faded">
          <Trans>
            What you have asked models. Nobody else sees it, curators neither. What you do not keep is
            forgotten after 90 days.
          </Trans>
        </p>
      </header>
      <input
        aria-label={t`Find in your talks`}
        className={`${fieldLook} mb-4 max-w-md`}
        placeholder={t`Find in what was asked and answered…`}
        value={words}
        onChange={(e) => setWords(e.target.value)}
      />
      {talks.error && <Trouble error={talks.error} title={t`Your talks cannot be shown`} />}
      {!talks.data && !talks.error && <Waiting />}
      {talks.data?.items.length === 0 &&
        (words.trim() ? (
          <Empty title={t`No talk has these words`}>
            <Trans>Fewer words find more.</Trans>
          </Empty>
        ) : (
          <Empty title={t`No talk yet`}>
            <Trans>On the page of a prompt, “Try it” begins one.</Trans>
          </Empty>
        ))}
      <ul className="divide-y divide-line border-y border-line empty:hidden">
        {talks.data?.items.map((talk) => (
          <li key={talk.id}>
            <Link to="/talks/$id" params={{ id: talk.id }} className="block px-1 py-2.5 hover:bg-wash">
              <span className="font-semibold">{talk.title}</span>
              <span className="ms-3 text-small text-faded">
                {timeWords(talk.asked_at)} · {plural(talk.replies, { one: "one reply", other: "# replies" })}
                {talk.kept && t` · kept`}
              </span>
              <span className="line-clamp-1 text-faded">{talk.said}</span>
            </Link>
          </li>
        ))}
      </ul>
    </>
  );
}

/** One talk, to be gone on with or deleted. */
export function TalkPage() {
  const { id } = useParams({ strict: false }) as { id: string };
  const talk = useTalk(id).data;
  const drop = useDeleteTalk();
  const navigate = useNavigate();
  const [asking, setAsking] = useState(false);
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-0 flex-1">
          <h1 className="text-title max-sm:text-head">{talk?.title ?? t`A talk`}</h1>
          <p className="text-faded">
            <Link to="/talks" className="font-semibold text-gold hover:underline">
              <Trans>Your talks</Trans>
            </Link>
            {talk && !talk.mine && t` · a colleague lets you read this one`}
            {talk?.slug && (
              <>
                {t` · about `}
                <Link
                  to="/entries/$slug"
                  params={{ slug: talk.slug }}
                  className="font-semibold text-gold hover:underline"
                >
                  {talk.slug}
                </Link>
              </>
            )}
          </p>
        </div>
        {talk?.mine && (
          <>
            <KeepAndShare talk={talk} />
            <Button onClick={() => setAsking(true)}>
              <Trans>Delete</Trans>
            </Button>
          </>
        )}
      </header>
      <TalkView id={id} />
      <Dialog open={asking} onOpen={setAsking} title={t`Delete this talk`}>
        <p className="mb-4">
          <Trans>What was asked and answered is gone for good.</Trans>
        </p>
        <Trouble error={drop.error} title={t`It is still there`} />
        <Button
          weight="main"
          disabled={drop.isPending}
          onClick={() =>
            drop.mutate(id, {
              onSuccess: () => {
                toast.success(t`The talk is gone`);
                void navigate({ to: "/talks" });
              },
            })
          }
        >
          <Trans>Delete for good</Trans>
        </Button>
      </Dialog>
    </>
  );
}
