import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import { Lock } from "lucide-react";
import { toast } from "sonner";
import type { Entry } from "../../data/api";
import { useLabels, useSession } from "../../data/hooks";
import { useAdaptations, useShare } from "../../data/origin";
import { stateWords, termTitle } from "../../data/words";
import { Button } from "../../parts/basics";

const languageName = new Intl.DisplayNames(["en"], { type: "language" });

/** Where an entry came from, which renditions of it there are, and whether it is one's own alone. */
export function CameFrom({ entry }: { entry: Entry }) {
  if (!entry.origin && !entry.renditions && !entry.private) return null;
  return (
    <div className="mb-5 flex flex-col gap-2 rounded-field bg-wash px-3 py-2 text-small print:hidden">
      {entry.private && <Private slug={entry.slug} />}
      {entry.origin && <Origin entry={entry} origin={entry.origin} />}
      {entry.renditions && <Renditions entry={entry} />}
    </div>
  );
}

function Private({ slug }: { slug: string }) {
  const share = useShare(slug);
  return (
    <p className="flex flex-wrap items-center gap-3">
      <Lock size={14} aria-hidden />
      <Trans>Only you see this. To submit it is to share it.</Trans>
      <Button
        weight="text"
        disabled={share.isPending}
        onClick={() =>
          share.mutate(undefined, {
            onSuccess: () => toast.success(t`Whoever sees drafts sees it now`),
            onError: (e) => toast.error(e.message),
          })
        }
      >
        <Trans>Share</Trans>
      </Button>
    </p>
  );
}

function Origin({ entry, origin }: { entry: Entry; origin: NonNullable<Entry["origin"]> }) {
  const moved = origin.now !== undefined && origin.now > origin.version;
  return (
    <p className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <span>
        {origin.how === "rendition" ? t`A rendition of ` : t`Adapted from `}
        <Trans>
          <Link
            to="/entries/$slug"
            params={{ slug: origin.slug }}
            search={origin.how === "rendition" ? { base: "true" } : {}}
            className="font-semibold text-gold hover:underline"
          >
            {origin.slug}
          </Link>
          , version {origin.version}
        </Trans>
        {origin.purpose && t`, for ${origin.purpose}`}.
      </span>
      {moved && (
        <Link
          to="/entries/$slug/origin"
          params={{ slug: entry.slug }}
          className="font-semibold text-gold hover:underline"
        >
          <Trans>It has moved on to version {origin.now}: see what changed</Trans>
        </Link>
      )}
    </p>
  );
}

function Renditions({ entry }: { entry: Entry }) {
  const labels = useLabels().data;
  const all = entry.renditions ?? [];
  const base = all.find((r) => r.base);
  const other = (these: string[] | undefined, of: string[] | undefined) =>
    (these ?? []).filter((t) => !(of ?? []).includes(t));
  const name = (r: (typeof all)[number]) => {
    const parts = [languageName.of(r.language || "en") ?? r.language];
    if (!r.base) {
      parts.push(
        ...other(r.applications, base?.applications).map((t) => termTitle(labels, "application", t)),
        ...other(r.models, base?.models).map((t) => termTitle(labels, "model", t)),
      );
    }
    return parts.join(", ");
  };
  return (
    <nav aria-label={t`Renditions`} className="flex flex-wrap items-center gap-x-3 gap-y-1">
      <span>
        <Trans>Renditions:</Trans>
      </span>
      {all.map((r) => (
        <Link
          key={r.slug}
          to="/entries/$slug"
          params={{ slug: r.slug }}
          search={r.base ? { base: "true" } : {}}
          aria-current={r.slug === entry.slug ? "true" : undefined}
          className={
            r.slug === entry.slug ? "font-semibold text-ink" : "font-semibold text-gold hover:underline"
          }
        >
          {name(r)}
        </Link>
      ))}
    </nav>
  );
}

/** The adaptations of an entry that are shared, and what several of them changed alike. */
export function Adaptations({ entry }: { entry: Entry }) {
  const all = useAdaptations(entry.slug).data;
  const me = useSession().data;
  const keeper = me?.role === "curator" || me?.name === entry.owner || me?.name === entry.deputy;
  if (!all || all.items.length === 0) return null;
  return (
    <section aria-labelledby="adaptations" className="mt-10">
      <h2 id="adaptations" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Adapted {plural(all.items.length, { one: "once", other: "# times" })}</Trans>
      </h2>
      <ul className="flex flex-col gap-1.5">
        {all.items.map((a) => (
          <li key={a.slug} className="flex flex-wrap items-baseline gap-x-3">
            <Link to="/entries/$slug" params={{ slug: a.slug }} className="font-semibold hover:underline">
              {a.title}
            </Link>
            <span className="text-small text-faded">
              {a.owner_name}
              {a.purpose && t` · for ${a.purpose}`} <Trans>· from version {a.version}</Trans>
              {a.state !== "published" && ` · ${stateWords[a.state]}`}
            </span>
          </li>
        ))}
      </ul>
      {keeper &&
        all.alike.map((c) => (
          <div key={c.before + c.after} className="mt-4 rounded-card border border-line bg-leaf p-4">
            <p className="mb-2 font-semibold">
              <Trans>{c.in.length} of them changed this alike</Trans>
            </p>
            {c.before && (
              <pre className="bg-removed px-2 font-mono text-small whitespace-pre-wrap">{c.before}</pre>
            )}
            {c.after && (
              <pre className="bg-added px-2 font-mono text-small whitespace-pre-wrap">{c.after}</pre>
            )}
            <p className="mt-2 text-small text-faded">
              <Trans>Take it over into the next version if it suits all.</Trans>
            </p>
          </div>
        ))}
    </section>
  );
}
