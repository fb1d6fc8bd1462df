import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { PencilLine } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import type { Entry } from "../data/api";
import { useRename } from "../data/lifecycle";
import { Button, Field, fieldLook, Trouble } from "./basics";
import { Dialog } from "./dialog";

/** Gives an entry another slug; links and texts with the old one go on working. */
export function Rename({ entry }: { entry: Entry }) {
  const [open, setOpen] = useState(false);
  const [slug, setSlug] = useState(entry.slug);
  const rename = useRename(entry.slug);
  const navigate = useNavigate();
  return (
    <>
      <Button weight="text" onClick={() => setOpen(true)}>
        <PencilLine size={14} aria-hidden />
        <Trans>Rename</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Rename`}>
        <form
          className="flex flex-col gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            rename.mutate(slug, {
              onSuccess: (now) => {
                setOpen(false);
                toast.success(t`It is called ${now.slug} now; ${entry.slug} leads here`);
                void navigate({ to: "/entries/$slug", params: { slug: now.slug }, replace: true });
              },
            });
          }}
        >
          <p>
            <Trans>Links, texts and applications that have the old slug find the entry as before.</Trans>
          </p>
          <Trouble error={rename.error} title={t`It keeps its slug`} />
          <Field id="new-slug" label={t`Slug`} hint={t`Small letters, digits and hyphens.`}>
            <input
              id="new-slug"
              required
              className={`${fieldLook} font-mono`}
              value={slug}
              onChange={(e) => setSlug(e.target.value)}
            />
          </Field>
          {(entry.formerly ?? []).length > 0 && (
            <p className="text-small text-faded">
              <Trans>It was called {entry.formerly?.join(", ")}.</Trans>
            </p>
          )}
          <Button type="submit" weight="main" disabled={rename.isPending}>
            <Trans>Rename</Trans>
          </Button>
        </form>
      </Dialog>
    </>
  );
}
