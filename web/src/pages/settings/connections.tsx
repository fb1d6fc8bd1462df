import { listWords } from "../../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import {
  useAddConnection,
  useConnection,
  useConnections,
  useDeleteConnection,
  useSetConnection,
  type Connection,
} from "../../data/connections";
import { useBegun } from "../../data/begun";
import { Button, Empty, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { ConnectionForm } from "./connectionform";
import { TryConnection } from "./tryconnection";

const usual = { title: "", address: "", models: [], at_once: 8, first_seconds: 30, whole_seconds: 300 };

/** Where models answer, and what may be sent there. */
export function ConnectionsPage() {
  const all = useConnections();
  const [adding, setAdding] = useState(false);
  const add = useAddConnection();
  if (all.error) return <Trouble error={all.error} title={t`The connections cannot be shown`} />;
  if (!all.data) return <Waiting />;
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-60 flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Connections</Trans>
          </h1>
          <p className="text-faded">
            <Trans>Where models answer. A prompt is tried out on the models that a connection serves.</Trans>
          </p>
        </div>
        <Button weight="main" onClick={() => setAdding(true)}>
          <Trans>Add connection</Trans>
        </Button>
      </header>
      {all.data.items.length === 0 && (
        <Empty title={t`No model can be asked yet`}>
          <Trans>
            Add the address where one answers. <code>goldshelfd models</code> serves simulated ones.
          </Trans>
        </Empty>
      )}
      <ul className="flex flex-col gap-4">
        {all.data.items.map((c) => (
          <OneConnection key={c.name} connection={c} />
        ))}
      </ul>
      <Dialog open={adding} onOpen={setAdding} title={t`Add connection`}>
        <ConnectionForm
          start={usual}
          save={(body) => add.mutate(body, { onSuccess: () => setAdding(false) })}
          trouble={<Trouble error={add.error} title={t`No connection was added`} />}
          button={t`Add connection`}
          busy={add.isPending}
        />
      </Dialog>
    </>
  );
}

function OneConnection({ connection: c }: { connection: Connection }) {
  const [open, setOpen] = useState<"" | "try" | "change" | "delete">("");
  const drop = useDeleteConnection();
  const close = (on: boolean) => !on && setOpen("");
  return (
    <li className="rounded-card border border-line bg-leaf px-4 py-3">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <div className="min-w-56 flex-1">
          <h2 className="text-[17px]">{c.title}</h2>
          <p className="font-mono text-small break-all">{c.address}</p>
          <p className="text-small text-faded">
            {c.models.join(", ") || t`No model yet`} <Trans>· {c.at_once} at once</Trans>
            {c.no_personal && t` · nothing with personal data`}
            {(c.departments ?? []).length > 0 && t` · for ${(c.departments ?? []).join(", ")}`}
            {Object.entries(c.labels ?? {}).map(
              ([facet, terms]) => ` · ${facet}: ${listWords(terms, "disjunction")}`,
            )}
          </p>
          {(c.secret ?? c.secret_kept) && (
            <p className={c.secret_there ? "text-small text-faded" : "text-small text-stop"}>
              {secretWords(c)}
            </p>
          )}
        </div>
        <Button className="!py-1" onClick={() => setOpen("try")}>
          <Trans>Try it</Trans>
          <span className="sr-only">: {c.title}</span>
        </Button>
        <Button weight="text" onClick={() => setOpen("change")}>
          <Trans>Change</Trans>
          <span className="sr-only"> {c.title}</span>
        </Button>
        <Button weight="text" onClick={() => setOpen("delete")}>
          <Trans>Delete</Trans>
          <span className="sr-only"> {c.title}</span>
        </Button>
      </div>
      <Dialog open={open === "try"} onOpen={close} title={t`Try ${c.title}`}>
        <TryConnection connection={c} />
      </Dialog>
      <Dialog open={open === "change"} onOpen={close} title={t`Change ${c.title}`}>
        <Changing name={c.name} done={() => setOpen("")} />
      </Dialog>
      <Dialog open={open === "delete"} onOpen={close} title={t`Delete ${c.title}`}>
        <p className="mb-4">
          <Trans>Its models can be asked no longer. Replies that have come stay.</Trans>
        </p>
        <Trouble error={drop.error} title={t`It is still there`} />
        <Button
          weight="main"
          disabled={drop.isPending}
          onClick={() =>
            drop.mutate(c.name, { onSuccess: () => toast.success(t`The connection is deleted`) })
          }
        >
          <Trans>Delete</Trans>
        </Button>
      </Dialog>
    </li>
  );
}

function secretWords(c: Connection): string {
  if (c.secret_kept)
    return c.secret_there
      ? t`Its secret is kept sealed`
      : t`▲ Its secret is kept sealed, and the service has not the key`;
  return c.secret_there
    ? t`Its secret is kept as ${c.secret ?? ""}`
    : t`▲ There is no secret at ${c.secret ?? ""}`;
}

function Changing({ name, done }: { name: string; done: () => void }) {
  const connection = useConnection(name);
  if (connection.error) return <Trouble error={connection.error} />;
  if (!connection.data) return <Waiting lines={6} />;
  return <ChangeForm read={connection.data} name={name} done={done} />;
}

function ChangeForm(props: { read: { data: Connection; etag: string }; name: string; done: () => void }) {
  const { begun, begin, moved } = useBegun(props.read);
  const set = useSetConnection(props.name);
  return (
    <ConnectionForm
      key={begun.etag}
      start={begun.data}
      save={(body) => set.mutate({ etag: begun.etag, body }, { onSuccess: props.done })}
      trouble={
        <>
          <Trouble error={set.error} title={t`It stays as it was`} />
          {moved && (
            <p role="status" className="rounded-field bg-wash px-3 py-2">
              <Trans>Somebody has changed it since.</Trans>{" "}
              <Button weight="text" onClick={() => begin(props.read)}>
                <Trans>Start from what is there now</Trans>
              </Button>
            </p>
          )}
        </>
      }
      button={t`Save`}
      busy={set.isPending}
    />
  );
}
