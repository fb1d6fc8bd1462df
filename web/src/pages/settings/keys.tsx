import { listWords } from "../../languages/figures";
import { whole } from "../../languages/figures";
import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import { useLabels } from "../../data/hooks";
import { useDeleteKey, useKeys, type Key } from "../../data/keys";
import { dateWords, timeWords } from "../../data/times";
import { termTitle } from "../../data/words";
import { Button, Empty, Trouble, Waiting } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { KeyForm, RenewForm } from "./keyform";

/** The keys by which applications call. */
export function KeysPage() {
  const keys = useKeys();
  const [doing, setDoing] = useState<{ what: "add" | "change" | "renew" | "delete"; key?: Key }>();
  if (keys.error) return <Trouble error={keys.error} title={t`The keys cannot be shown`} />;
  if (!keys.data) return <Waiting />;
  const titles = {
    add: t`Add a key`,
    change: t`Change the key ${doing?.key?.name ?? ""}`,
    renew: t`Renew the key ${doing?.key?.name ?? ""}`,
    delete: t`Delete the key ${doing?.key?.name ?? ""}?`,
  };
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-60 flex-1">
          <h1 className="text-title max-sm:text-head">
            <Trans>Keys</Trans>
          </h1>
          <p className="text-faded">
            <Trans>
              Applications call by a key: they read the shelf and fill entries in, and change nothing.
            </Trans>
          </p>
        </div>
        <Button weight="main" onClick={() => setDoing({ what: "add" })}>
          <Trans>Add a key</Trans>
        </Button>
      </header>
      {keys.data.items.length === 0 && (
        <Empty title={t`No key yet`}>
          <Trans>Add one for each application that reads entries by name.</Trans>
        </Empty>
      )}
      <ul className="divide-y divide-line border-y border-line empty:hidden">
        {keys.data.items.map((k) => (
          <KeyRow key={k.name} k={k} ask={(what) => setDoing({ what, key: k })} />
        ))}
      </ul>
      <Dialog
        open={doing !== undefined}
        onOpen={(open) => !open && setDoing(undefined)}
        title={doing ? titles[doing.what] : ""}
      >
        {(doing?.what === "add" || doing?.what === "change") && (
          <KeyForm of={doing.key} done={() => setDoing(undefined)} />
        )}
        {doing?.what === "renew" && doing.key && <RenewForm of={doing.key} />}
        {doing?.what === "delete" && doing.key && (
          <Deletion name={doing.key.name} done={() => setDoing(undefined)} />
        )}
      </Dialog>
    </>
  );
}

const doings = { renew: t`Renew`, change: t`Change`, delete: t`Delete` };

function KeyRow({ k, ask }: { k: Key; ask: (what: "change" | "renew" | "delete") => void }) {
  const facets = useLabels().data;
  const ended = new Date(k.until) <= new Date();
  const where = k.departments.map((d) => termTitle(facets, "department", d)).join(", ");
  const verbs = {
    read: t`reads`,
    fill: t`fills in`,
    watch: t`watches the service`,
    provision: t`keeps people and groups`,
  };
  const does = listWords(
    ["read" as const, "fill" as const].filter((m) => k.may.includes(m)).map((m) => verbs[m]),
  );
  return (
    <li className="flex flex-wrap items-center gap-x-5 gap-y-2 px-1 py-3">
      <span className="min-w-56 flex-1">
        <b>{k.name}</b>
        <span className="block text-small text-faded">
          {does} {does && (where ? t`what is of ${where}` : t`everything on the shelf`)}
          {k.may.includes("watch") && `${does && ", "}${verbs.watch}`}
          {k.may.includes("provision") && `${k.may.length > 1 ? ", " : ""}${verbs.provision}`}
          <Trans>, {whole(k.per_minute)} times a minute at most</Trans>
        </span>
      </span>
      <span className="w-60 text-small">
        <span className={ended ? "font-semibold text-stop" : ""}>
          {ended ? t`▲ ended on ${dateWords(k.until)}` : t`until ${dateWords(k.until)}`}
        </span>
        <span className="block text-faded">
          {k.used_at ? t`last used on ${timeWords(k.used_at)}` : t`not used yet`}
        </span>
        {k.old_until && (
          <span className="block">
            <Trans>the secret before: until {timeWords(k.old_until)}</Trans>
          </span>
        )}
      </span>
      <span className="flex gap-4">
        {(["renew", "change", "delete"] as const).map((what) => (
          <Button key={what} weight="text" onClick={() => ask(what)}>
            {doings[what]}
            <span className="sr-only">
              <Trans>the key {k.name}</Trans>
            </span>
          </Button>
        ))}
      </span>
    </li>
  );
}

function Deletion({ name, done }: { name: string; done: () => void }) {
  const remove = useDeleteKey();
  return (
    <div className="flex flex-col gap-4">
      <p>
        <Trans>
          Whatever calls by it is refused from now on. To change a secret without a gap, renew the key.
        </Trans>
      </p>
      <Trouble error={remove.error} />
      <span className="flex gap-3">
        <Button
          weight="main"
          disabled={remove.isPending}
          onClick={() =>
            remove.mutate(name, {
              onSuccess: () => {
                toast.success(t`${name} calls no more`);
                done();
              },
            })
          }
        >
          <Trans>Delete</Trans>
        </Button>
        <Button onClick={done}>
          <Trans>Cancel</Trans>
        </Button>
      </span>
    </div>
  );
}
