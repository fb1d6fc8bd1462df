import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useLabels } from "../../data/hooks";
import type { Channel, NewChannel } from "../../data/notify";
import {
  useAddChannel,
  useChannels,
  useDeliveries,
  useDeleteChannel,
  useSendAgain,
  useSetChannel,
} from "../../data/notify";
import { timeWords } from "../../data/times";
import { happened, termTitle } from "../../data/words";
import { Button, Empty, sentence, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { ChannelForm } from "./channelform";

/** The channels that are told of what happens, and how that went. */
export function ChannelsPage() {
  const channels = useChannels();
  const [adding, setAdding] = useState(false);
  if (channels.error) return <Trouble error={channels.error} title={t`The channels cannot be shown`} />;
  if (!channels.data) return <Waiting />;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-60 flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Channels</Trans>
          </h1>
          <p className="text-faded">
            <Trans>
              Other programs hear at once of what is published, retired or returned: signed CloudEvents over
              HTTP.
            </Trans>
          </p>
        </div>
        <Button weight="main" onClick={() => setAdding(true)}>
          <Trans>Add channel</Trans>
        </Button>
      </header>
      {channels.data.items.length === 0 && (
        <Empty title={t`No channel is told yet`}>
          <Trans>Add the address that a program listens at.</Trans>
        </Empty>
      )}
      <ul className="flex flex-col gap-4">
        {channels.data.items.map((c) => (
          <Channel key={c.id} channel={c} />
        ))}
      </ul>
      <Dialog open={adding} onOpen={setAdding} title={t`Add channel`}>
        <Adding />
      </Dialog>
    </>
  );
}

function Channel({ channel }: { channel: Channel }) {
  const [open, setOpen] = useState(false);
  const [changing, setChanging] = useState(false);
  const [removing, setRemoving] = useState(false);
  const facets = useLabels().data;
  const drop = useDeleteChannel();
  const set = useSetChannel(channel.id);
  const where = channel.departments.map((d) => termTitle(facets, "department", d)).join(", ");
  return (
    <li className="rounded-card border border-line bg-leaf px-4 py-3">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <div className="min-w-56 flex-1">
          <h2 className="text-[17px]">
            {channel.title}
            {!channel.active && (
              <span className="ms-2 text-small font-normal text-faded">
                <Trans>paused</Trans>
              </span>
            )}
          </h2>
          <p className="font-mono text-small break-all">{channel.url}</p>
          <p className="text-small text-faded">
            <Trans>Told of</Trans> {channel.actions.map((a) => happened[a]).join(", ") || t`everything`}
            {where && t` in ${where}`}{" "}
            <Trans>
              · {channel.waiting} waiting · {channel.given_up} given up
            </Trans>
          </p>
        </div>
        <Button className="!py-1" onClick={() => setOpen(!open)} aria-expanded={open}>
          {open ? t`Hide` : t`Deliveries`}
        </Button>
        <Button weight="text" onClick={() => setChanging(true)}>
          <Trans>Change</Trans>
          <span className="sr-only"> {channel.title}</span>
        </Button>
        <Button
          weight="text"
          disabled={set.isPending}
          onClick={() =>
            set.mutate(
              { ...asked(channel), paused: channel.active },
              {
                onSuccess: (now) =>
                  toast.success(now.active ? t`It is told again` : t`It is told nothing for now`),
                onError: (e) => toast.error(e.message),
              },
            )
          }
        >
          {channel.active ? t`Pause` : t`Resume`}
          <span className="sr-only"> {channel.title}</span>
        </Button>
        <Button weight="text" onClick={() => setRemoving(true)}>
          <Trans>Delete</Trans>
          <span className="sr-only"> {channel.title}</span>
        </Button>
      </div>
      {open && <Deliveries id={channel.id} />}
      <Dialog open={changing} onOpen={setChanging} title={t`Change ${channel.title}`}>
        <Changing channel={channel} done={() => setChanging(false)} />
      </Dialog>
      <Dialog open={removing} onOpen={setRemoving} title={t`Delete ${channel.title}`}>
        <p className="mb-4">
          <Trans>
            What it was told, what waits for it and its secret are forgotten. To tell it nothing for a while,
            pause it.
          </Trans>
        </p>
        <Trouble error={drop.error} title={t`It is still told`} />
        <Button
          weight="main"
          disabled={drop.isPending}
          onClick={() => drop.mutate(channel.id, { onSuccess: () => toast.success(t`It is told no longer`) })}
        >
          <Trans>Delete</Trans>
        </Button>
      </Dialog>
    </li>
  );
}

/** What a channel would have to be asked for to be as it is. */
function asked(channel: Channel): NewChannel {
  return {
    title: channel.title,
    url: channel.url,
    actions: channel.actions,
    departments: channel.departments,
    report: channel.report,
    language: channel.language,
    paused: !channel.active,
  };
}

function Deliveries({ id }: { id: number }) {
  const all = useDeliveries(id);
  const again = useSendAgain(id);
  if (all.error) return <Trouble error={all.error} />;
  if (!all.data) return <Waiting lines={3} />;
  if (all.data.items.length === 0)
    return (
      <p className="mt-2 text-faded">
        <Trans>Nothing yet.</Trans>
      </p>
    );
  return (
    <ol className="mt-3 divide-y divide-line border-t border-line">
      {all.data.items.map((d) => (
        <li key={d.id} className="flex flex-wrap items-center gap-x-4 py-1.5 text-small">
          <span className="w-24 font-semibold">{d.state.replace("-", " ")}</span>
          <span className="min-w-40 flex-1">
            {d.action} {d.slug}
            {d.sent_at && <span className="text-faded"> · {timeWords(d.sent_at)}</span>}
            {d.failed && <span className="block text-stop">{sentence(d.failed)}</span>}
          </span>
          {["given-up", "unclear", "done"].includes(d.state) && (
            <Button
              weight="text"
              onClick={() => again.mutate(d.id, { onError: (e) => toast.error(e.message) })}
            >
              <Trans>Send again</Trans>
              <span className="sr-only">: {d.slug}</span>
            </Button>
          )}
        </li>
      ))}
    </ol>
  );
}

function Adding() {
  const add = useAddChannel();
  if (add.data?.secret) {
    return (
      <div className="flex flex-col gap-3">
        <p>
          <Trans>
            {add.data.title} is told from now on. What it gets is signed with this secret, which is shown this
            once:
          </Trans>
        </p>
        <p className="rounded-field bg-wash px-3 py-2 font-mono break-all">{add.data.secret}</p>
      </div>
    );
  }
  return (
    <ChannelForm
      start={{ title: "", url: "", actions: [], departments: [] }}
      save={(channel) => add.mutate(channel)}
      trouble={<Trouble error={add.error} title={t`No channel was added`} />}
      button={t`Add channel`}
      busy={add.isPending}
    />
  );
}

function Changing({ channel, done }: { channel: Channel; done: () => void }) {
  const set = useSetChannel(channel.id);
  return (
    <ChannelForm
      start={asked(channel)}
      save={(channel) => set.mutate(channel, { onSuccess: done })}
      trouble={<Trouble error={set.error} title={t`It stays as it was`} />}
      button={t`Save`}
      busy={set.isPending}
    />
  );
}
