import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useState } from "react";
import type { DeskItem } from "../data/api";
import { useDesk, useSearch, useSession } from "../data/hooks";
import { usePeople } from "../data/people";
import { useSections } from "../data/sections";
import { useSettled } from "../data/settled";
import { titleOf } from "../data/words";
import { useAtHand } from "./athand";
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
    <Dialog open={open} onOpen={setOpen} title={t`Go to or do`}>
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
        aria-label={t`Command or entry`}
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
      <ul id="commands" role="listbox" aria-label={t`Commands and entries`} className="mt-3">
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
      {fitting.length === 0 && (
        <p className="px-3 py-2 text-faded">
          <Trans>Nothing is called that.</Trans>
        </p>
      )}
    </div>
  );
}

/** What waiting for someone is called, as on the desk, and where one does it. */
const deskWork: Record<DeskItem["action"], { name: string; to: "edit" | "review" | "origin" | "" }> = {
  compare: { name: t`See what changed for`, to: "origin" },
  "answer-report": { name: t`Read the report on`, to: "" },
  submit: { name: t`Finish`, to: "edit" },
  begin: { name: t`Fix`, to: "edit" },
  approve: { name: t`Review`, to: "review" },
  publish: { name: t`Publish`, to: "review" },
  answer: { name: t`Answer`, to: "review" },
  renew: { name: t`Look at again`, to: "" },
  accept: { name: t`Accept`, to: "" },
  transfer: { name: t`Transfer`, to: "" },
};

/** Rooms and desk work by their names; entries as the service finds them. */
function useCommands(typed: string): Command[] {
  const navigate = useNavigate();
  const session = useSession().data;
  const maker = session !== null && session !== undefined && session.role !== "reader";
  const found = useSearch(useSettled(typed, 120)).data?.items ?? [];
  const desk = useDesk(maker).data?.items ?? [];
  const go = (to: string) => () => void navigate({ to });
  const here: Command[] = useAtHand().map((a) => ({ key: `here ${a.name}`, ...a }));
  const people = usePeople().data?.items ?? [];
  const rooms: Command[] = [{ key: "shelf", name: t`To the shelf`, run: go("/") }];
  const more: Command[] = [{ key: "best", name: t`The best of the shelf`, run: go("/best") }];
  if (maker) {
    rooms.push(
      { key: "desk", name: t`To my desk`, run: go("/desk") },
      { key: "new", name: t`New entry`, run: go("/new") },
    );
  }
  if (session?.role === "curator") {
    more.push(
      { key: "import", name: t`Import`, run: go("/stocktake/import") },
      { key: "stocktake", name: t`To the stocktake`, run: go("/stocktake") },
      { key: "similar", name: t`Look-alikes`, run: go("/stocktake/similar") },
      { key: "record", name: t`The record`, run: go("/stocktake/record") },
      ...["labels", "sections", "synonyms", "people", "policy", "channels", "library"].map((page) => ({
        key: page,
        name: `Settings: ${page}`,
        run: go(`/settings/${page}`),
      })),
    );
  }
  const sections = useSections().data?.items ?? [];
  const named: Command[] = [
    ...here,
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
    ...sections.map((s) => ({
      key: `section ${s.name}`,
      name: `Section: ${s.title}`,
      run: go(`/sections/${s.name}`),
    })),
    ...more,
  ];
  return [
    ...named.filter((c) => c.name.toLowerCase().includes(typed.trim().toLowerCase())),
    ...people
      .filter((p) => typed.trim() && p.full_name.toLowerCase().includes(typed.trim().toLowerCase()))
      .map((p) => ({
        key: `person ${p.name}`,
        name: t`${p.full_name}: their entries`,
        run: () => void navigate({ to: "/", search: { q: `owner:${p.name}` } }),
      })),
    ...found.map((i) => ({ key: i.slug, name: titleOf(i), kind: i.kind, run: go(`/entries/${i.slug}`) })),
  ];
}
