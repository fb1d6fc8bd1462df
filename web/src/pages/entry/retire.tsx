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
        Retire
      </Button>
      <Dialog open={open} onOpen={setOpen} title="Retire">
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
              toast.success("Off the shelf", {
                action: { label: "Undo", onClick: () => restore.mutate({ step: "restore" }) },
              });
            },
          },
        );
      }}
    >
      <Trouble error={retire.error} title="It stays on the shelf" />
      <Field id="because" label="Why should nobody use it any more?">
        <textarea
          id="because"
          rows={3}
          required
          className={fieldLook}
          value={because}
          onChange={(e) => setBecause(e.target.value)}
        />
      </Field>
      <Field id="instead" label="What to use instead">
        <OneOf
          id="instead"
          value={instead}
          set={setInstead}
          none="nothing in particular"
          of={others.map((i) => ({ name: i.slug, title: i.title }))}
        />
      </Field>
      <Button type="submit" weight="main" disabled={retire.isPending}>
        Retire
      </Button>
    </form>
  );
}
