import { t } from "@lingui/core/macro";
import { useState } from "react";
import { pictureAddress, type Picture } from "../data/pictures";
import { Dialog } from "./dialog";

/** The pictures beside a text, each to be seen large. */
export function Gallery({ pictures }: { pictures: Picture[] | undefined }) {
  const [shown, setShown] = useState<Picture>();
  if (!pictures || pictures.length === 0) return null;
  return (
    <section aria-label={t`Pictures`} className="mb-5">
      <ul className="flex flex-wrap gap-3">
        {pictures.map((p) => (
          <li key={p.id}>
            <button
              type="button"
              className="block rounded-field border border-line bg-leaf p-1 hover:bg-wash"
              onClick={() => setShown(p)}
            >
              <img
                src={pictureAddress(p.id, "medium")}
                alt={p.alt}
                loading="lazy"
                className="h-20 w-auto max-w-64 rounded-[3px] object-contain"
              />
            </button>
          </li>
        ))}
      </ul>
      <Dialog open={shown !== undefined} onOpen={() => setShown(undefined)} title={shown?.alt ?? ""} wide>
        {shown && (
          <img
            src={pictureAddress(shown.id, "large")}
            alt={shown.alt}
            className="mx-auto max-h-[72vh] max-w-full"
          />
        )}
      </Dialog>
    </section>
  );
}
