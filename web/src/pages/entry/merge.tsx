import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { useBegun } from "../../data/begun";
import { useDiff } from "../../data/hooks";
import {
  useFollowOrigin,
  useOrigin,
  useTakeOver,
  type Hunk,
  type OriginMerge,
  type Part,
  type Side,
} from "../../data/origin";
import { Button, ChangedSince, Trouble, Waiting } from "../../parts/basics";
import { Choice } from "../../parts/choice";
import { Difference } from "../../parts/difference";

/** What has changed where an entry came from, to be taken over in part or whole. */
export function Merge() {
  const { slug } = useParams({ strict: false }) as { slug: string };
  const origin = useOrigin(slug);
  if (origin.error) return <Trouble error={origin.error} title={t`There is nothing to compare`} />;
  if (!origin.data) return <Waiting lines={10} />;
  if (origin.data.merge.how === "rendition") return <BaseMoved slug={slug} merge={origin.data.merge} />;
  return <Begun key={slug} slug={slug} read={origin.data} />;
}

/** The comparison that choices are made in: it stays while either side moves on, and begins anew when asked. */
function Begun({ slug, read }: { slug: string; read: { merge: OriginMerge; etag: string } }) {
  const { begun, begin, moved } = useBegun(read);
  return (
    <>
      <ChangedSince moved={moved} begin={() => begin(read)} />
      <Comparison key={begun.etag} slug={slug} merge={begun.merge} etag={begun.etag} />
    </>
  );
}

/** A rendition says the same otherwise: what changed in its base is shown, and its own text is written anew. */
function BaseMoved({ slug, merge }: { slug: string; merge: OriginMerge }) {
  const version = merge.now ?? merge.version;
  const diff = useDiff(merge.slug, merge.version, version, version > merge.version);
  return (
    <>
      <h1 className="text-title">
        <Trans>What changed in {merge.slug}</Trans>
      </h1>
      <p className="mt-1 mb-5 text-faded">
        <Trans>
          From version {merge.version} to {version}. Bring{" "}
          <Link to="/entries/$slug" params={{ slug }} className="font-semibold text-gold hover:underline">
            {slug}
          </Link>{" "}
          up to it in your own words.
        </Trans>
      </p>
      <Trouble error={diff.error} />
      {diff.data && <Difference lines={diff.data.lines} />}
      {version === merge.version && (
        <p>
          <Trans>Nothing has changed there.</Trans>
        </p>
      )}
      <div className="mt-6 flex flex-wrap gap-4">
        <Link
          to="/entries/$slug/edit"
          params={{ slug }}
          className="rounded-field border border-line bg-leaf px-4 py-2 font-semibold hover:bg-wash"
        >
          <Trans>Edit {slug}</Trans>
        </Link>
        <Follow slug={slug} version={version} label={t`It says what version ${version} says`} />
      </div>
    </>
  );
}

function Follow({ slug, version, label }: { slug: string; version: number; label: string }) {
  const follow = useFollowOrigin(slug);
  const navigate = useNavigate();
  return (
    <Button
      disabled={follow.isPending}
      onClick={() =>
        follow.mutate(version, {
          onSuccess: () => {
            toast.success(t`Looked at: it follows version ${version}`);
            void navigate({ to: "/entries/$slug", params: { slug } });
          },
          onError: (e) => toast.error(e.message),
        })
      }
    >
      {label}
    </Button>
  );
}

const moved = (p: { outcome: string }) => p.outcome === "theirs" || p.outcome === "conflict";

function Comparison({ slug, merge, etag }: { slug: string; merge: OriginMerge; etag: string }) {
  const [hunks, setHunks] = useState<Record<string, Side>>({});
  const [parts, setParts] = useState<Record<string, Side>>({});
  const take = useTakeOver(slug, etag);
  const navigate = useNavigate();
  const version = merge.now ?? merge.version;
  const conflicts = merge.hunks.flatMap((h, i) => (h.outcome === "conflict" && !hunks[String(i)] ? [i] : []));
  const named = [...merge.blanks, ...merge.fields].filter(moved);
  const undecided = conflicts.length + named.filter((p) => p.outcome === "conflict" && !parts[p.name]).length;
  const nothing = !merge.hunks.some(moved) && named.length === 0;
  const pick = (of: Part[]) =>
    Object.fromEntries(of.flatMap((p) => (parts[p.name] ? [[p.name, parts[p.name] as Side]] : [])));
  return (
    <>
      <h1 className="text-title">
        <Trans>What changed in {merge.slug}</Trans>
      </h1>
      <p className="mt-1 mb-5 text-faded">
        <Trans>
          From version {merge.version} to {version}, beside{" "}
          <Link to="/entries/$slug" params={{ slug }} className="font-semibold text-gold hover:underline">
            {slug}
          </Link>
          . Where only one side changed, that side is taken unless you say otherwise.
        </Trans>
      </p>
      <Trouble error={take.error} title={t`Nothing was taken over`} />
      {nothing ? (
        <p className="mb-5">
          <Trans>There is nothing there that is not here.</Trans>
        </p>
      ) : (
        <div className="mb-6 overflow-hidden rounded-card border border-line bg-leaf">
          {merge.hunks.map((h, i) => (
            <HunkRow
              key={i}
              hunk={h}
              number={i}
              side={hunks[String(i)]}
              choose={(s) => setHunks({ ...hunks, [String(i)]: s })}
            />
          ))}
        </div>
      )}
      {named.map((p) => (
        <PartRow
          key={p.name}
          part={p}
          side={parts[p.name]}
          choose={(s) => setParts({ ...parts, [p.name]: s })}
        />
      ))}
      <div className="mt-6 flex flex-wrap items-center gap-4">
        {!nothing && (
          <Button
            weight="main"
            disabled={take.isPending || undecided > 0}
            onClick={() =>
              take.mutate(
                { version, hunks, blanks: pick(merge.blanks), fields: pick(merge.fields) },
                {
                  onSuccess: () => {
                    toast.success(t`The draft has it`);
                    void navigate({ to: "/entries/$slug/edit", params: { slug } });
                  },
                },
              )
            }
          >
            <Trans>Take over into the draft</Trans>
          </Button>
        )}
        <Follow slug={slug} version={version} label={t`Take nothing over`} />
        {undecided > 0 && (
          <p className="text-small text-faded">
            <Trans>
              {plural(undecided, { one: "One conflict waits", other: "# conflicts wait" })} for your word.
            </Trans>
          </p>
        )}
      </div>
    </>
  );
}

const sides = [
  { value: "ours", name: t`Mine` },
  { value: "theirs", name: t`Theirs` },
];

function HunkRow(props: { hunk: Hunk; number: number; side?: Side; choose: (s: Side) => void }) {
  const { hunk, number, side, choose } = props;
  if (hunk.outcome === "same" || hunk.outcome === "alike") return <Lines text={hunk.ours} />;
  const chosen = side ?? (hunk.outcome === "conflict" ? "" : hunk.outcome);
  const conflict = hunk.outcome === "conflict";
  return (
    <section
      aria-label={t`Change ${number + 1}`}
      className={`border-y border-line py-2 ${conflict ? "bg-wash" : ""}`}
    >
      <div className="mb-1 flex flex-wrap items-center gap-3 px-4 text-small">
        <b>
          {conflict
            ? t`Both changed this`
            : hunk.outcome === "theirs"
              ? t`They changed this`
              : t`You changed this`}
        </b>
        <Choice
          label={t`Whose to take`}
          value={chosen}
          onChange={(s) => choose(s as Side)}
          options={conflict ? [...sides, { value: "both", name: t`Both` }] : sides}
        />
      </div>
      <div className={`grid gap-px ${conflict ? "wide:grid-cols-3" : "wide:grid-cols-2"}`}>
        <Lines title={t`It was`} text={hunk.base} look="bg-removed" />
        {hunk.outcome !== "theirs" && <Lines title={t`Mine`} text={hunk.ours} look="bg-added" />}
        {hunk.outcome !== "ours" && <Lines title={t`Theirs`} text={hunk.theirs} look="bg-added" />}
      </div>
    </section>
  );
}

function Lines({ text, title, look = "" }: { text: string; title?: string; look?: string }) {
  return (
    <div className="min-w-0">
      {title && <p className="px-4 text-small text-faded">{title}</p>}
      <pre
        className={`min-h-5 px-4 font-mono text-small leading-[21px] break-words whitespace-pre-wrap ${look}`}
      >
        {title && !text ? (
          <span className="text-faded">
            <Trans>nothing</Trans>
          </span>
        ) : (
          text
        )}
      </pre>
    </div>
  );
}

function words(v: unknown): string {
  if (v === null || v === undefined || v === "") return t`nothing`;
  return Array.isArray(v) ? v.map(words).join(", ") : String(v as string | number | boolean);
}

function PartRow({ part, side, choose }: { part: Part; side?: Side; choose: (s: Side) => void }) {
  const show = (v: unknown) =>
    v && typeof v === "object" && !Array.isArray(v)
      ? Object.entries(v)
          .map(([name, value]) => `${name}: ${words(value)}`)
          .join("\n")
      : words(v);
  return (
    <section aria-label={part.name} className="mb-3 rounded-card border border-line bg-leaf p-4">
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <b className="font-mono">{part.name}</b>
        <span className="text-small text-faded">
          {part.outcome === "conflict" ? t`both changed it` : t`they changed it`}
        </span>
        <Choice
          label={t`Whose to take`}
          value={side ?? (part.outcome === "conflict" ? "" : "theirs")}
          onChange={(s) => choose(s as Side)}
          options={sides}
        />
      </div>
      <div className="grid gap-3 wide:grid-cols-3">
        <Lines title={t`It was`} text={show(part.base)} />
        <Lines title={t`Mine`} text={show(part.ours)} />
        <Lines title={t`Theirs`} text={show(part.theirs)} />
      </div>
    </section>
  );
}
