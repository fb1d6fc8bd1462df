import { t } from "@lingui/core/macro";
import { useLocation, useNavigate } from "@tanstack/react-router";
import { Search } from "lucide-react";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import type { Facet } from "../data/api";
import { useLabels } from "../data/hooks";
import { kindWords } from "../data/words";
import { fieldLook } from "./basics";

/** One search field for everything: results appear as one types, wherever one is. */
export function SearchField() {
  const field = useRef<HTMLInputElement>(null);
  const [typed, setTyped] = useTyped();
  const completions = useCompletions(typed);
  const [at, setAt] = useState(-1);
  const [closed, setClosed] = useState("");
  const open = completions.length > 0 && closed !== typed;
  useSlash(() => field.current?.select());

  const take = (c: Completion) => {
    setTyped(c.text);
    setAt(-1);
    field.current?.focus();
  };
  const onKey = (e: KeyboardEvent) => {
    if (open && at >= 0 && (e.key === "Enter" || e.key === "Tab")) {
      const chosen = completions[at];
      if (chosen) take(chosen);
    } else if (open && e.key === "Escape") setClosed(typed);
    else if (open && e.key === "ArrowDown") setAt((at + 1) % completions.length);
    else if (open && e.key === "ArrowUp") setAt(at <= 0 ? completions.length - 1 : at - 1);
    else if (e.key === "Escape") setTyped("");
    else if (e.key === "ArrowDown") document.querySelector<HTMLElement>("[data-result]")?.focus();
    else return;
    e.preventDefault();
  };
  return (
    <div role="search" className="relative w-full max-w-[440px]">
      <Search size={17} aria-hidden className="absolute top-1/2 start-3.5 -translate-y-1/2 text-faded" />
      <input
        ref={field}
        type="search"
        role="combobox"
        aria-expanded={open}
        aria-controls="completions"
        aria-autocomplete="list"
        aria-activedescendant={open && at >= 0 ? `completion-${at}` : undefined}
        aria-label={t`Find an entry, a label, a person`}
        placeholder={t`Find an entry, a label, a person…`}
        className={`${fieldLook} !py-2 !pe-10 !ps-10`}
        value={typed}
        onChange={(e) => {
          setTyped(e.target.value);
          setAt(-1);
        }}
        onKeyDown={onKey}
        onBlur={() => setClosed(typed)}
      />
      <kbd
        aria-hidden
        className="absolute top-1/2 end-3 -translate-y-1/2 rounded-[4px] border border-line px-1.5 text-small text-faded"
      >
        /
      </kbd>
      <ul
        id="completions"
        role="listbox"
        aria-label={t`Ways to narrow the search`}
        hidden={!open}
        className="absolute inset-x-0 top-full z-20 mt-1 rounded-card border border-line bg-leaf p-1 shadow-lift"
      >
        {open &&
          completions.map((c, i) => (
            <li
              key={c.text}
              id={`completion-${i}`}
              role="option"
              aria-selected={i === at}
              className={`flex cursor-pointer items-baseline gap-2 rounded-field px-3 py-1 ${i === at ? "bg-wash" : ""}`}
              onMouseEnter={() => setAt(i)}
              onMouseDown={(e) => {
                e.preventDefault();
                take(c);
              }}
            >
              <span className="font-mono text-small">{c.part}</span>
              <span className="text-small text-faded">{c.title}</span>
            </li>
          ))}
      </ul>
    </div>
  );
}

const pause = 50; // milliseconds: shorter than between two keys, so that each letter shows what it finds

/** What is typed, in step with the address: each pause in it is a search. */
function useTyped(): [string, (text: string) => void] {
  const location = useLocation();
  const navigate = useNavigate();
  const q = location.pathname === "/" ? ((location.search as { q?: string }).q ?? "") : "";
  const [typed, setTyped] = useState(q);
  const [seen, setSeen] = useState(q);
  if (q !== seen) {
    // The address changed by itself: a link, or back.
    setSeen(q);
    if (q !== typed.trim()) setTyped(q);
  }
  useEffect(() => {
    if (typed.trim() === q) return;
    const wait = setTimeout(() => {
      void navigate({
        to: "/",
        search: (old) => ({ ...(location.pathname === "/" ? old : {}), q: typed.trim() || undefined }),
        replace: location.pathname === "/" && q !== "",
      });
    }, pause);
    return () => clearTimeout(wait);
  }, [typed, q, navigate, location.pathname]);
  return [typed, setTyped];
}

/** The slash puts the cursor into the field from anywhere that is none. */
function useSlash(focus: () => void) {
  useEffect(() => {
    const onKey = (e: globalThis.KeyboardEvent) => {
      const at = e.target as HTMLElement;
      if (e.key !== "/" || e.ctrlKey || e.metaKey || at.closest("input, textarea, select, [contenteditable]"))
        return;
      e.preventDefault();
      focus();
    };
    document.addEventListener("keydown", onKey);
    return () => document.removeEventListener("keydown", onKey);
  });
}

interface Completion {
  part: string;
  title: string;
  text: string;
}

const shownAtOnce = 8;

/** How the last word of a search can go on, where it is a facet's name or one of its terms. */
function useCompletions(typed: string): Completion[] {
  const labels = useLabels().data;
  const last = /(?:^|\s)(-?)([\p{L}\p{N}-]+)(?:(:)("?)([^"\s]*))?$/u.exec(typed);
  if (!labels || !last) return [];
  const [, not = "", name = "", colon, , value = ""] = last;
  const before = typed.slice(0, typed.length - last[0].length + (/^\s/.test(last[0]) ? 1 : 0));
  const facets = fieldsOf(labels);
  const completed = (part: string, title: string) => ({
    part: not + part,
    title,
    text: `${before}${not}${part}`,
  });
  if (!colon) {
    if (name.length < 2) return [];
    return facets
      .filter((f) => f.name.startsWith(name.toLowerCase()))
      .map((f) => completed(`${f.name}:`, f.title));
  }
  const facet = facets.find((f) => f.name === name.toLowerCase());
  const wanted = value.toLowerCase();
  return (facet?.terms ?? [])
    .filter((t) => t.name !== wanted && (t.name.startsWith(wanted) || t.title.toLowerCase().includes(wanted)))
    .slice(0, shownAtOnce)
    .map((t) => ({ ...completed(`${name}:${t.name}`, t.title), text: `${before}${not}${name}:${t.name} ` }));
}

/** What can be typed before a colon: the facets, kinds and owners. */
function fieldsOf(
  labels: Facet[],
): { name: string; title: string; terms: { name: string; title: string }[] }[] {
  const kinds = Object.entries(kindWords).map(([name, k]) => ({ name, title: k.name }));
  return [
    { name: "kind", title: t`What it is`, terms: kinds },
    { name: "owner", title: t`Who answers for it, by name`, terms: [] },
    ...labels.filter((f) => f.name !== "kind"),
  ];
}
