import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useSimilar, useRead } from "../../data/import";
import { Trouble, Waiting } from "../../parts/basics";
import { SimilarEntries } from "../../parts/similar";
import { Places } from "../../parts/places";
import { replaceText, type Editing } from "./editing";

/** What on the shelf says nearly the same, and places to fill in that are no blanks yet. */
export function Similar({ slug, draft, change }: Editing & { slug: string }) {
  const similar = useSimilar(slug, draft.body);
  const places = useRead(draft.body).data?.places ?? [];
  if (similar.error) return <Trouble error={similar.error} />;
  if (!similar.data) return <Waiting lines={4} />;
  return (
    <div className="flex flex-col gap-5">
      {similar.data.items.length === 0 ? (
        <p className="text-faded">
          <Trans>Nothing in the library says nearly the same.</Trans>
        </p>
      ) : (
        <SimilarEntries items={similar.data.items} text={draft.body} />
      )}
      {places.length > 0 && !draft.plain && (
        <Places
          key={draft.body}
          body={draft.body}
          places={places}
          made={(asked, body, made) =>
            replaceText(
              change,
              asked,
              (now) => {
                const others = (now.blanks ?? []).filter((b) => !made.some((m) => m.name === b.name));
                return { ...now, body, blanks: [...others, ...made] };
              },
              t`Made blanks of them`,
            )
          }
        />
      )}
    </div>
  );
}
