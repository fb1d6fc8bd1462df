import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { pictureAddress, useAddPicture } from "../../data/pictures";
import { Button, fieldLook, Trouble } from "../../parts/basics";
import type { Editing } from "./editing";

const most = 8;

/** The pictures beside a draft: what a result looks like, or a reference to work from. */
export function Pictures({ draft, change }: Editing) {
  const add = useAddPicture();
  const [alt, setAlt] = useState("");
  const all = draft.pictures ?? [];
  const set = (pictures: typeof all) =>
    change({ ...draft, pictures: pictures.length > 0 ? pictures : undefined });
  return (
    <fieldset className="flex flex-col gap-3">
      <legend className="mb-1 font-semibold">
        <Trans>Pictures</Trans>
      </legend>
      {all.map((p, i) => (
        <div key={p.id + i} className="flex items-start gap-3">
          <img
            src={pictureAddress(p.id, "small")}
            alt={p.alt}
            className="w-24 rounded-field border border-line"
          />
          <div className="min-w-0 flex-1">
            <input
              aria-label={t`What picture ${i + 1} shows`}
              className={fieldLook}
              value={p.alt}
              onChange={(e) => set(all.map((o, n) => (n === i ? { ...o, alt: e.target.value } : o)))}
            />
            <Button weight="text" onClick={() => set(all.filter((_, n) => n !== i))}>
              <Trans>Remove</Trans>
              <span className="sr-only">
                <Trans>picture {i + 1}</Trans>
              </span>
            </Button>
          </div>
        </div>
      ))}
      <Trouble error={add.error} title={t`The picture was not added`} />
      {all.length < most && (
        <div className="flex flex-col gap-1.5">
          <input
            aria-label={t`What the next picture shows`}
            placeholder={t`What it shows, for those who do not see it`}
            className={fieldLook}
            value={alt}
            onChange={(e) => setAlt(e.target.value)}
          />
          <input
            type="file"
            aria-label={t`Add a picture`}
            accept="image/png,image/jpeg,image/webp"
            className="text-small"
            disabled={add.isPending || !alt.trim()}
            onChange={(e) => {
              const file = e.currentTarget.files?.[0];
              e.currentTarget.value = ""; // so that it can be chosen again
              if (!file) return;
              add.mutate(file, {
                onSuccess: (p) => {
                  set([...all, { id: p.id, alt: alt.trim() }]);
                  setAlt("");
                },
              });
            }}
          />
          <p className="text-small text-faded">
            <Trans>
              First say what it shows. A PNG, JPEG or WebP of at most 4 MiB; only its pixels are kept.
            </Trans>
          </p>
        </div>
      )}
    </fieldset>
  );
}
