import { useState } from "react";
import { toast } from "sonner";
import type { Hook } from "../../data/keeping";
import { useAddChannel, useChannels, useDeliveries, useDropChannel, useSendAgain } from "../../data/keeping";
import { timeWords } from "../../data/words";
import { Button, Dialog, Empty, Field, fieldLook, sentence, Trouble, Waiting } from "../../parts/basics";

/** The channels that are told of what happens, and how that went. */
export function ChannelsPage() {
  const channels = useChannels();
  const [adding, setAdding] = useState(false);
  if (channels.error) return <Trouble error={channels.error} title="The channels cannot be shown" />;
  if (!channels.data) return <Waiting />;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-0 flex-1">
          <h1 className="text-title max-sm:text-head">Channels</h1>
          <p className="text-faded">
            Other programs hear at once of what is published, retired or returned: signed CloudEvents over
            HTTP.
          </p>
        </div>
        <Button weight="main" onClick={() => setAdding(true)}>
          Add a channel
        </Button>
      </header>
      {channels.data.items.length === 0 && (
        <Empty title="No channel is told yet">Add the address that a program listens at.</Empty>
      )}
      <ul className="flex flex-col gap-4">
        {channels.data.items.map((h) => (
          <Channel key={h.id} hook={h} />
        ))}
      </ul>
      <Dialog open={adding} onOpen={setAdding} title="Add a channel">
        <Adding />
      </Dialog>
    </>
  );
}

function Channel({ hook }: { hook: Hook }) {
  const [open, setOpen] = useState(false);
  const drop = useDropChannel();
  const of = [...hook.actions, ...hook.departments].join(", ") || "everything";
  return (
    <li className="rounded-card border border-line bg-leaf px-4 py-3">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <div className="min-w-56 flex-1">
          <h2 className="text-[17px]">{hook.title}</h2>
          <p className="font-mono text-small break-all">{hook.url}</p>
          <p className="text-small text-faded">
            Told of {of} · {hook.waiting} waiting · {hook.given_up} given up
            {!hook.active && " · paused"}
          </p>
        </div>
        <Button className="!py-1" onClick={() => setOpen(!open)} aria-expanded={open}>
          {open ? "Hide" : "What it was told"}
        </Button>
        <Button
          weight="text"
          onClick={() => drop.mutate(hook.id, { onSuccess: () => toast.success("It is told no longer") })}
        >
          Remove<span className="sr-only"> {hook.title}</span>
        </Button>
      </div>
      {open && <Deliveries id={hook.id} />}
    </li>
  );
}

function Deliveries({ id }: { id: number }) {
  const all = useDeliveries(id);
  const again = useSendAgain(id);
  if (all.error) return <Trouble error={all.error} />;
  if (!all.data) return <Waiting lines={3} />;
  if (all.data.items.length === 0) return <p className="mt-2 text-faded">Nothing yet.</p>;
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
              Send again<span className="sr-only">: {d.slug}</span>
            </Button>
          )}
        </li>
      ))}
    </ol>
  );
}

function Adding() {
  const [title, setTitle] = useState("");
  const [url, setUrl] = useState("");
  const add = useAddChannel();
  if (add.data?.secret) {
    return (
      <div className="flex flex-col gap-3">
        <p>
          {add.data.title} is told from now on. What it gets is signed with this secret, which is shown this
          once:
        </p>
        <p className="rounded-field bg-wash px-3 py-2 font-mono break-all">{add.data.secret}</p>
      </div>
    );
  }
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate({ title, url });
      }}
    >
      <Trouble error={add.error} title="No channel was added" />
      <Field id="channel-title" label="What is it called?">
        <input
          id="channel-title"
          required
          className={fieldLook}
          value={title}
          onChange={(e) => setTitle(e.target.value)}
        />
      </Field>
      <Field
        id="channel-url"
        label="Address"
        hint="As https://channel.example/hook. Addresses inside the network are allowed by name, where the service is started."
      >
        <input
          id="channel-url"
          required
          className={fieldLook}
          value={url}
          onChange={(e) => setUrl(e.target.value)}
        />
      </Field>
      <Button type="submit" weight="main" disabled={add.isPending}>
        Add it
      </Button>
    </form>
  );
}
