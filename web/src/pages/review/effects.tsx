import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useEffect, useRef, useState } from "react";
import { useEffectOn, useUses } from "../../data/hooks";
import { KindTile, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** Which published entries publishing this version changes, each text before and after one click away. */
export function Effects({ slug }: { slug: string }) {
  const users = (useUses(slug).data?.items ?? []).filter((u) => u.follows && u.state === "published");
  const [open, setOpen] = useState("");
  if (users.length === 0)
    return (
      <p className="text-faded">
        <Trans>No published entry uses it.</Trans>
      </p>
    );
  return (
    <>
      <p className="mb-2">
        <Trans>
          Publishing this changes{" "}
          {plural(users.length, { one: "one published entry", other: "these # published entries" })}:
        </Trans>
      </p>
      <ul className="flex flex-col gap-1">
        {users.map((u) => (
          <li key={u.slug}>
            <button
              type="button"
              className="flex items-center gap-2 text-start hover:underline"
              onClick={() => setOpen(u.slug)}
            >
              <KindTile kind={u.kind} /> {u.title}
            </button>
          </li>
        ))}
      </ul>
      <Dialog open={open !== ""} onOpen={(o) => !o && setOpen("")} title={t`Before and after`} wide>
        <BeforeAndAfter slug={slug} user={open} />
      </Dialog>
    </>
  );
}

function BeforeAndAfter({ slug, user }: { slug: string; user: string }) {
  const effect = useEffectOn(slug, user);
  if (effect.error) return <Trouble error={effect.error} />;
  if (!effect.data) return <Waiting />;
  const { title, before, after, problems } = effect.data;
  return (
    <>
      <p className="mb-3 text-faded">
        <Trans>{title}, with its sample values.</Trans>
      </p>
      <div className="grid gap-4 sm:grid-cols-2">
        <Text title={t`Now`} text={before} other={after} />
        {problems && problems.length > 0 ? (
          <ul className="list-disc ps-5">
            {problems.map((p) => (
              <li key={p.message}>{p.message}</li>
            ))}
          </ul>
        ) : (
          <Text title={t`Afterwards`} text={after} other={before} />
        )}
      </div>
    </>
  );
}

/** A text with the lines marked that the other one does not have. */
function Text({ title, text, other }: { title: string; text: string; other: string }) {
  const theirs = new Set(other.split("\n"));
  const leaf = useRef<HTMLDivElement>(null);
  useEffect(() => {
    // The first difference is what one wants to see.
    leaf.current?.querySelector("[data-differs]")?.scrollIntoView({ block: "center" });
  }, []);
  return (
    <section aria-label={title}>
      <h3 className="mb-1 text-lead">{title}</h3>
      <div
        ref={leaf}
        tabIndex={0}
        className="max-h-[60vh] overflow-auto rounded-field border border-line bg-leaf p-3 font-serif"
      >
        {text.split("\n").map((line, i) => (
          <p
            key={i}
            data-differs={theirs.has(line) ? undefined : true}
            className={`min-h-3 whitespace-pre-wrap ${theirs.has(line) ? "" : "border-s-2 border-gold bg-wash ps-2"}`}
          >
            {line}
          </p>
        ))}
      </div>
    </section>
  );
}
