import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { useStep } from "../../data/hooks";
import { useReports } from "../../data/use";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

/** Asks for a review, with what has changed and which reports that settles. */
export function Submit({ slug, flush }: { slug: string; flush: () => Promise<boolean> }) {
  const [open, setOpen] = useState(false);
  const [note, setNote] = useState("");
  const [settles, setSettles] = useState<number[]>([]);
  const step = useStep(slug);
  const navigate = useNavigate();
  const send = async () => {
    if (!(await flush())) return;
    step.mutate(
      { step: "submit", text: note, settles },
      {
        onSuccess: () => {
          toast.success(t`Submitted: a reviewer has it on their desk`);
          void navigate({ to: "/desk" });
        },
      },
    );
  };
  return (
    <>
      <Button weight="main" onClick={() => setOpen(true)}>
        <Trans>Submit for review</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Submit for review`}>
        <form
          className="flex flex-col gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            void send();
          }}
        >
          <Trouble error={step.error} title={t`It is not ready yet`} />
          <Field id="note" label={t`What has changed, and why?`}>
            <textarea
              id="note"
              rows={3}
              required
              className={fieldLook}
              value={note}
              onChange={(e) => setNote(e.target.value)}
            />
          </Field>
          <Settles slug={slug} chosen={settles} choose={setSettles} />
          <Button type="submit" weight="main" disabled={step.isPending}>
            <Trans>Submit</Trans>
          </Button>
        </form>
      </Dialog>
    </>
  );
}

/** The reports that wait: those that the version settles are ticked. */
function Settles(props: { slug: string; chosen: number[]; choose: (ids: number[]) => void }) {
  const waiting = (useReports(props.slug).data?.items ?? []).filter((r) => !r.worked && !r.settled_at);
  if (waiting.length === 0) return null;
  return (
    <fieldset className="flex flex-col gap-1">
      <legend className="mb-1 font-semibold">
        <Trans>Which reports does it settle?</Trans>
      </legend>
      {waiting.map((r) => (
        <label key={r.id} className="flex items-start gap-2">
          <input
            type="checkbox"
            className="mt-1 size-4 accent-gold"
            checked={props.chosen.includes(r.id)}
            onChange={(e) =>
              props.choose(
                e.target.checked ? [...props.chosen, r.id] : props.chosen.filter((id) => id !== r.id),
              )
            }
          />
          <span>
            {r.words || t`It fell short`} <span className="text-small text-faded">{r.by_name}</span>
          </span>
        </label>
      ))}
    </fieldset>
  );
}
