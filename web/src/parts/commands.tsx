import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import type { DeskItem } from "../data/api";
import { useDesk, useSearch, useSession } from "../data/hooks";
import { useSettled } from "../data/settled";
import { titleOf } from "../data/words";
import { fieldLook, KindTile } from "./basics";
import { Dialog } from "./dialog";

interface Command {
  key: string;
  name: string;
  run: () => void;
  kind?: Parameters<typeof KindTile>[0]["kind"];
}

/** Everything by its name, on Ctrl K. */
export function Commands() {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() !== "k" || !(e.ctrlKey || e.metaKey)) return;
      e.preventDefault();
      setOpen((o) => !o);
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  }, []);
  return (
    <Dialog open={open} onOpen={setOpen} title="Go to or do">
      <Palette close={() => setOpen(false)} />
    </Dialog>
  );
}

function Palette({ close }: { close: () => void }) {
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  const fitting = useCommands(typed).slice(0, 9);
  const run = (c: Command | undefined) => {
    if (!c) return;
    close();
    c.run();
  };
  return (
    <div>
      <input
        autoFocus
        role="combobox"
        aria-label="Command or entry"
        aria-expanded
        aria-controls="commands"
        aria-activedescendant={fitting[at] ? `command-${at}` : undefined}
        className={fieldLook}
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") setAt(Math.min(at + 1, fitting.length - 1));
          else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
          else if (e.key === "Enter") run(fitting[at]);
          else return;
          e.preventDefault();
        }}
      />
      <ul id="commands" role="listbox" aria-label="Commands and entries" className="mt-3">
        {fitting.map((c, i) => (
          <li
            key={c.key}
            id={`command-${i}`}
            role="option"
            aria-selected={i === at}
            className={`flex cursor-pointer items-center gap-2 rounded-field px-3 py-2 ${i === at ? "bg-wash" : ""}`}
            onMouseEnter={() => setAt(i)}
            onClick={() => run(c)}
          >
            {c.kind && <KindTile kind={c.kind} />}
            {c.name}
          </li>
        ))}
      </ul>
      {fitting.length === 0 && <p className="px-3 py-2 text-faded">Nothing is called that.</p>}
    </div>
  );
}

/** What waiting for someone is called, as on the desk, and where one does it. */
const deskWork: Record<DeskItem["action"], { name: string; to: "edit" | "review" | "" }> = {
  submit: { name: "Finish", to: "edit" },
  begin: { name: "Fix", to: "edit" },
  approve: { name: "Review", to: "review" },
  publish: { name: "Publish", to: "review" },
  answer: { name: "Answer", to: "review" },
  renew: { name: "Look at again", to: "" },
  accept: { name: "Accept", to: "" },
  transfer: { name: "Transfer", to: "" },
};

/** Rooms and desk work by their names; entries as the service finds them. */
function useCommands(typed: string): Command[] {
  const navigate = useNavigate();
  const session = useSession().data;
  const maker = session !== null && session !== undefined && session.role !== "reader";
  const found = useSearch(useSettled(typed, 120)).data?.items ?? [];
  const desk = useDesk(maker).data?.items ?? [];
  const go = (to: string) => () => void navigate({ to });
  const rooms: Command[] = [{ key: "shelf", name: "To the shelf", run: go("/") }];
  if (maker) {
    rooms.push(
      { key: "desk", name: "To my desk", run: go("/desk") },
      { key: "new", name: "New entry", run: go("/new") },
    );
  }
  if (session?.role === "curator") {
    rooms.push(
      { key: "import", name: "Import", run: go("/stocktake/import") },
      { key: "stocktake", name: "To the stocktake", run: go("/stocktake") },
      { key: "settings", name: "Settings", run: go("/settings") },
    );
  }
  const named: Command[] = [
    ...rooms,
    ...desk.map((i) => {
      const work = deskWork[i.action];
      return {
        key: `${i.waits} ${i.slug}`,
        name: `${work.name}: ${titleOf(i)}`,
        kind: i.kind,
        run: go(`/entries/${i.slug}${work.to && "/" + work.to}`),
      };
    }),
  ];
  return [
    ...named.filter((c) => c.name.toLowerCase().includes(typed.trim().toLowerCase())),
    ...found.map((i) => ({ key: i.slug, name: titleOf(i), kind: i.kind, run: go(`/entries/${i.slug}`) })),
  ];
}
