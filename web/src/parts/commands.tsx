import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import { useDesk, useSession, useSome } from "../data/hooks";
import { titleOf } from "../data/words";
import { Dialog, fieldLook, KindTile } from "./basics";

interface Command {
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
  const fitting = useCommands()
    .filter((c) => c.name.toLowerCase().includes(typed.toLowerCase()))
    .slice(0, 9);
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
            key={c.name}
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

function useCommands(): Command[] {
  const navigate = useNavigate();
  const session = useSession().data;
  const maker = session !== null && session !== undefined && session.role !== "reader";
  const shelf = useSome({ limit: 200 }).data?.items ?? [];
  const desk = useDesk(maker).data?.items ?? [];
  const rooms: Command[] = [{ name: "To the shelf", run: () => void navigate({ to: "/" }) }];
  if (maker) {
    rooms.push(
      { name: "To my desk", run: () => void navigate({ to: "/desk" }) },
      { name: "New entry", run: () => void navigate({ to: "/new" }) },
    );
  }
  return [
    ...rooms,
    ...desk.map((i) => ({
      name: `${i.action === "submit" ? "Finish" : i.action === "approve" ? "Review" : "Publish"}: ${titleOf(i)}`,
      kind: i.kind,
      run: () =>
        void navigate({
          to: i.action === "submit" ? "/entries/$slug/edit" : "/entries/$slug/review",
          params: { slug: i.slug },
        }),
    })),
    ...shelf.map((i) => ({
      name: titleOf(i),
      kind: i.kind,
      run: () => void navigate({ to: "/entries/$slug", params: { slug: i.slug } }),
    })),
  ];
}
