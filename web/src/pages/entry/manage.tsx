import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Bell, BellOff, Star, Undo2 } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import type { Entry } from "../../data/api";
import { useFavour, useFavourites } from "../../data/favourites";
import { useSession } from "../../data/hooks";
import { useSetHelper, useStarters, type Helps } from "../../data/import";
import { useUnpublish } from "../../data/lifecycle";
import { useFollow, useFollows } from "../../data/notify";
import { dateWords } from "../../data/times";
import { titleOf } from "../../data/words";
import { AnswerOffer, Renew } from "../../parts/answers";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { Transfer } from "../../parts/transfer";
import { Owners } from "../../parts/owners";
import { Rename } from "../../parts/rename";
import { Adapt, Render } from "./derive";
import { UsedFor } from "./usedfor";

/** What keeps an entry: who hears of it, who answers for it, whether it still holds. */
export function Manage({ entry }: { entry: Entry }) {
  const me = useSession().data;
  const keeper = me?.role === "curator" || me?.name === entry.owner || me?.name === entry.deputy;
  return (
    <div className="mb-5 flex flex-wrap items-center gap-x-4 gap-y-2 text-small print:hidden">
      {entry.published !== undefined && (
        <>
          <Favourite slug={entry.slug} />
          <UsedFor entry={entry} />
        </>
      )}
      <FollowIt slug={entry.slug} />
      {entry.published !== undefined && me?.role !== "reader" && (
        <>
          <Adapt entry={entry} />
          {entry.rendition_of === undefined && <Render entry={entry} />}
        </>
      )}
      {keeper && <Transfer slug={entry.slug} quiet />}
      {keeper && <Owners entry={entry} />}
      {(me?.role === "curator" || (keeper && entry.published === undefined)) && <Rename entry={entry} />}
      {me?.role === "curator" && entry.kind === "prompt" && entry.published !== undefined && (
        <HelpsWith slug={entry.slug} />
      )}
      {entry.actions.includes("unpublish") && <Unpublish entry={entry} />}
      {entry.review_by && !entry.stale && (
        <span className="text-faded">
          <Trans>To be looked at again by {dateWords(entry.review_by)}</Trans>
        </span>
      )}
      <Stale entry={entry} />
      <Offered entry={entry} />
    </div>
  );
}

/** What a prompt helps colleagues with, beside being filled in: curators say. */
function HelpsWith({ slug }: { slug: string }) {
  const all = useStarters().data;
  const set = useSetHelper(slug);
  if (!all) return null;
  const is = (items: { slug: string }[]) => items.some((i) => i.slug === slug);
  const now = is(all.editing)
    ? "editing"
    : is(all.refinements)
      ? "refinement"
      : is(all.helpers)
        ? "draft"
        : "";
  return (
    <label className="flex items-center gap-2 font-semibold text-gold">
      <Trans>Helps with</Trans>
      <select
        className="rounded-field border border-line bg-leaf px-1.5 py-0.5 font-normal text-ink"
        value={now}
        disabled={set.isPending}
        onChange={(e) =>
          set.mutate(e.target.value as Helps, {
            onSuccess: () => toast.success(t`Said`),
            onError: (err) => toast.error(err.message),
          })
        }
      >
        <option value="">
          <Trans>nothing else</Trans>
        </option>
        <option value="draft">
          <Trans>writing prompts</Trans>
        </option>
        <option value="refinement">
          <Trans>changing replies</Trans>
        </option>
        <option value="editing">
          <Trans>changing drafts</Trans>
        </option>
      </select>
    </label>
  );
}

function Favourite({ slug }: { slug: string }) {
  const favourites = useFavourites().data;
  const favour = useFavour();
  if (!favourites) return null;
  const on = favourites.items.some((i) => i.slug === slug);
  const set = (to: boolean, undo: boolean) =>
    favour.mutate(
      { slug, on: to },
      {
        onSuccess: () =>
          toast.success(
            to ? t`Among your favourites now` : t`No favourite any more`,
            undo ? { action: { label: t`Undo`, onClick: () => set(!to, false) } } : undefined,
          ),
        onError: (e) => toast.error(e.message),
      },
    );
  return (
    <Button weight="text" aria-pressed={on} disabled={favour.isPending} onClick={() => set(!on, true)}>
      <Star size={14} aria-hidden fill={on ? "currentColor" : "none"} />
      <Trans>Favourite</Trans>
    </Button>
  );
}

function FollowIt({ slug }: { slug: string }) {
  const follows = useFollows().data;
  const follow = useFollow();
  if (!follows) return null;
  const on = follows.items.some((f) => f.what === "entry" && f.name === slug);
  return (
    <Button
      weight="text"
      disabled={follow.isPending}
      onClick={() =>
        follow.mutate(
          { what: "entry", name: slug, on: !on },
          {
            onSuccess: () =>
              toast.success(on ? t`You no longer follow it` : t`You hear of what happens to it`),
            onError: (e) => toast.error(e.message),
          },
        )
      }
    >
      {on ? <BellOff size={14} aria-hidden /> : <Bell size={14} aria-hidden />}
      {on ? t`Unfollow` : t`Follow`}
    </Button>
  );
}

/** Past its day an entry is marked, and whoever answers for it says that it still holds. */
function Stale({ entry }: { entry: Entry }) {
  if (!entry.stale) return null;
  return (
    <p className="flex flex-wrap items-center gap-3 rounded-field bg-wash px-3 py-1">
      <span>
        <Trans>
          <b>Stale:</b> it was to be looked at again by {dateWords(entry.review_by)}.
        </Trans>
      </span>
      {entry.actions.includes("renew") && <Renew slug={entry.slug} name={titleOf(entry)} quiet />}
    </p>
  );
}

function Offered({ entry }: { entry: Entry }) {
  const me = useSession().data;
  if (!entry.offer) return null;
  if (entry.offer.to !== me?.full_name) {
    return (
      <span className="text-faded">
        <Trans>Waits for {entry.offer.to} to accept it</Trans>
      </span>
    );
  }
  return (
    <div className="flex flex-wrap items-center gap-3 rounded-field bg-wash px-3 py-1">
      <Trans>{entry.offer.by} asks you to take it over.</Trans>
      <AnswerOffer slug={entry.slug} name={titleOf(entry)} quiet />
    </div>
  );
}

function Unpublish({ entry }: { entry: Entry }) {
  const [open, setOpen] = useState(false);
  const [because, setBecause] = useState("");
  const unpublish = useUnpublish(entry.slug);
  return (
    <>
      <Button weight="text" onClick={() => setOpen(true)}>
        <Undo2 size={14} aria-hidden />
        <Trans>Unpublish version {entry.version}</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Unpublish version ${entry.version}`}>
        <form
          className="flex flex-col gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            unpublish.mutate(because, {
              onSuccess: (now) => {
                setOpen(false);
                toast.success(
                  now.published ? t`Version ${now.published} is on the shelf again` : t`It is off the shelf`,
                );
              },
            });
          }}
        >
          <p>
            <Trans>The version before is on the shelf again. The history shows both, and why.</Trans>
          </p>
          <Trouble error={unpublish.error} title={t`It stays on the shelf`} />
          <Field id="unpublish" label={t`Why should it not have been published?`}>
            <textarea
              id="unpublish"
              rows={3}
              required
              className={fieldLook}
              value={because}
              onChange={(e) => setBecause(e.target.value)}
            />
          </Field>
          <Button type="submit" weight="main" disabled={unpublish.isPending}>
            <Trans>Unpublish</Trans>
          </Button>
        </form>
      </Dialog>
    </>
  );
}
