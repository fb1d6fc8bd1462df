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
  if (keys.error) return <Trouble error={keys.error} title="The keys cannot be shown" />;
  if (!keys.data) return <Waiting />;
  const titles = {
    add: "Add a key",
    change: `Change the key ${doing?.key?.name}`,
    renew: `Renew the key ${doing?.key?.name}`,
    delete: `Delete the key ${doing?.key?.name}?`,
  };
  return (
    <>
      <header className="mb-5 flex flex-wrap items-center gap-4">
        <div className="min-w-0 flex-1">
          <h1 className="text-title max-sm:text-head">Keys</h1>
          <p className="text-faded">
            Applications call by a key: they read the shelf and fill entries in, and change nothing.
          </p>
        </div>
        <Button weight="main" onClick={() => setDoing({ what: "add" })}>
          Add a key
        </Button>
      </header>
      {keys.data.items.length === 0 && (
        <Empty title="No key yet">Add one for each application that reads entries by name.</Empty>
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

function KeyRow({ k, ask }: { k: Key; ask: (what: "change" | "renew" | "delete") => void }) {
  const facets = useLabels().data;
  const ended = new Date(k.until) <= new Date();
  const where = k.departments.map((d) => termTitle(facets, "department", d)).join(", ");
  const verbs = {
    read: "reads",
    fill: "fills in",
    watch: "watches the service",
    provision: "keeps people and groups",
  };
  const does = ["read" as const, "fill" as const]
    .filter((m) => k.may.includes(m))
    .map((m) => verbs[m])
    .join(" and ");
  return (
    <li className="flex flex-wrap items-center gap-x-5 gap-y-2 px-1 py-3">
      <span className="min-w-56 flex-1">
        <b>{k.name}</b>
        <span className="block text-small text-faded">
          {does} {does && (where ? `what is of ${where}` : "everything on the shelf")}
          {k.may.includes("watch") && `${does && ", "}${verbs.watch}`}
          {k.may.includes("provision") && `${k.may.length > 1 ? ", " : ""}${verbs.provision}`},{" "}
          {k.per_minute.toLocaleString("en")} times a minute at most
        </span>
      </span>
      <span className="w-60 text-small">
        <span className={ended ? "font-semibold text-stop" : ""}>
          {ended ? "▲ ended on " : "until "}
          {dateWords(k.until)}
        </span>
        <span className="block text-faded">
          {k.used_at ? `last used on ${timeWords(k.used_at)}` : "not used yet"}
        </span>
        {k.old_until && <span className="block">the secret before: until {timeWords(k.old_until)}</span>}
      </span>
      <span className="flex gap-4">
        {(["renew", "change", "delete"] as const).map((what) => (
          <Button key={what} weight="text" onClick={() => ask(what)}>
            {what[0]?.toUpperCase() + what.slice(1)}
            <span className="sr-only"> the key {k.name}</span>
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
      <p>Whatever calls by it is refused from now on. To change a secret without a gap, renew the key.</p>
      <Trouble error={remove.error} />
      <span className="flex gap-3">
        <Button
          weight="main"
          disabled={remove.isPending}
          onClick={() =>
            remove.mutate(name, {
              onSuccess: () => {
                toast.success(`${name} calls no more`);
                done();
              },
            })
          }
        >
          Delete
        </Button>
        <Button onClick={done}>Cancel</Button>
      </span>
    </div>
  );
}
