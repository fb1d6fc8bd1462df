import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Archive } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import type { Kind } from "../../data/api";
import { useKind, useRetire, useStep } from "../../data/hooks";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { OneOf } from "../../parts/oneof";

/** Takes an entry off the shelf, once it is said why and what to use instead. */
export function Retire({ slug, kind }: { slug: string; kind: Kind }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button className="!py-1.5" onClick={() => setOpen(true)}>
        <Archive size={15} aria-hidden />
        <Trans>Retire</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Retire`}>
        <Reason slug={slug} kind={kind} done={() => setOpen(false)} />
      </Dialog>
    </>
  );
}

function Reason({ slug, kind, done }: { slug: string; kind: Kind; done: () => void }) {
  const [because, setBecause] = useState("");
  const [instead, setInstead] = useState("");
  const retire = useRetire(slug);
  const restore = useStep(slug);
  const others = useKind(kind).data?.items.filter((i) => i.slug !== slug) ?? [];
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        retire.mutate(
          { because, instead: instead || undefined },
          {
            onSuccess: () => {
              done();
              toast.success(t`Off the shelf`, {
                action: { label: t`Undo`, onClick: () => restore.mutate({ step: "restore" }) },
              });
            },
          },
        );
      }}
    >
      <Trouble error={retire.error} title={t`It stays on the shelf`} />
      <Field id="because" label={t`Why should nobody use it any more?`}>
        <textarea
          id="because"
          rows={3}
          required
          className={fieldLook}
          value={because}
          onChange={(e) => setBecause(e.target.value)}
        />
      </Field>
      <Field id="instead" label={t`What to use instead`}>
        <OneOf
          id="instead"
          value={instead}
          set={setInstead}
          none={t`nothing in particular`}
          of={others.map((i) => ({ name: i.slug, title: i.title }))}
        />
      </Field>
      <Button type="submit" weight="main" disabled={retire.isPending}>
        <Trans>Retire</Trans>
      </Button>
    </form>
  );
}
