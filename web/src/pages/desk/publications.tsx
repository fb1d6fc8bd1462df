import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { usePublishTogether, type SeenEntry } from "../../data/lifecycle";
import { momentOf, timeWords, zoneName } from "../../data/times";
import { Button, fieldLook, Trouble } from "../../parts/basics";

/** Publishes several approved versions as one, now or at a time. */
export function PublishTogether({ picked, done }: { picked: SeenEntry[]; done: () => void }) {
  const [at, setAt] = useState("");
  const publish = usePublishTogether();
  if (picked.length === 0) {
    return (
      <p className="mb-3 text-small text-faded">
        <Trans>Mark what is approved to publish it together, or at a time.</Trans>
      </p>
    );
  }
  const send = () =>
    publish.mutate(
      { entries: picked, at: at ? momentOf(at) : undefined },
      {
        onSuccess: (out) => {
          toast.success(
            out.at ? t`It will be published ${timeWords(out.at)}` : t`${out.items.length} on the shelf`,
          );
          setAt("");
          done();
        },
      },
    );
  return (
    <div className="sticky top-2 z-[5] mb-3 rounded-card border border-gold bg-leaf px-4 py-3 shadow-lift">
      <Trouble error={publish.error} title={t`None of them was published`} />
      <div className="flex flex-wrap items-end gap-3">
        <p className="min-w-40 flex-1 font-semibold">
          {plural(picked.length, { one: "1 version is marked", other: "# versions are marked" })}
        </p>
        <label className="flex flex-col text-small">
          <Trans>Publish at, in {zoneName()} (now, if left out)</Trans>
          <input
            type="datetime-local"
            className={`${fieldLook} !w-56`}
            value={at}
            onChange={(e) => setAt(e.target.value)}
          />
        </label>
        <Button weight="main" disabled={publish.isPending} onClick={send}>
          {at ? t`Schedule` : t`Publish together`}
        </Button>
      </div>
    </div>
  );
}
