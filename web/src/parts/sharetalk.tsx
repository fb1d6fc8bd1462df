import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { usePeople } from "../data/people";
import { useSession } from "../data/hooks";
import { useKeepTalk, useShareTalk, type Talk } from "../data/talks";
import { Button, Trouble } from "./basics";
import { Dialog } from "./dialog";
import { OneOf } from "./oneof";

/** Keeps a talk beyond the time after which talks are forgotten, and lets colleagues read it. */
export function KeepAndShare({ talk }: { talk: Talk }) {
  const keep = useKeepTalk(talk.id);
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button
        aria-pressed={talk.kept}
        disabled={keep.isPending}
        onClick={() => keep.mutate(!talk.kept, { onError: (e) => toast.error(e.message) })}
      >
        {talk.kept ? t`Kept` : t`Keep`}
      </Button>
      <Button onClick={() => setOpen(true)}>
        <Trans>Share</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Share this talk`}>
        <Share talk={talk} />
      </Dialog>
    </>
  );
}

function Share({ talk }: { talk: Talk }) {
  const [name, setName] = useState("");
  const me = useSession().data?.name;
  const people = usePeople().data?.items ?? [];
  const share = useShareTalk(talk.id);
  const link = `${location.origin}/talks/${talk.id}`;
  const others = people
    .filter((p) => p.active && p.name !== me && !talk.shared_with.some((s) => s.name === p.name))
    .map((p) => ({ name: p.name, title: p.full_name }));
  return (
    <div className="flex flex-col gap-4">
      <p>
        <Trans>Only whom you name here may read it, by the link. They cannot go on with it.</Trans>
      </p>
      <ul className="flex flex-col gap-1 empty:hidden">
        {talk.shared_with.map((p) => (
          <li key={p.name} className="flex items-center gap-3">
            {p.full_name}
            <Button weight="text" onClick={() => share.mutate({ with: p.name, shared: false })}>
              <Trans>No longer</Trans>
            </Button>
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap gap-2">
        <OneOf className="!w-64" value={name} none={t`Choose a colleague…`} of={others} set={setName} />
        <Button
          weight="main"
          disabled={!name || share.isPending}
          onClick={() =>
            share.mutate(
              { with: name, shared: true },
              {
                onSuccess: () => {
                  setName("");
                  void navigator.clipboard.writeText(link).then(
                    () => toast.success(t`Shared; the link is copied`),
                    () => undefined,
                  );
                },
              },
            )
          }
        >
          <Trans>Share with them</Trans>
        </Button>
      </div>
      <Trouble error={share.error} title={t`It was not shared`} />
      {talk.shared_with.length > 0 && (
        <p className="text-small text-faded">
          <Trans>
            The link: <code className="font-mono break-all">{link}</code>
          </Trans>
        </p>
      )}
    </div>
  );
}
