import { autocompletion } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { markdown } from "@codemirror/lang-markdown";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { linter, setDiagnostics, type Diagnostic } from "@codemirror/lint";
import { Compartment, EditorState, Prec } from "@codemirror/state";
import {
  Decoration,
  EditorView,
  keymap,
  MatchDecorator,
  ViewPlugin,
  type DecorationSet,
  type ViewUpdate,
} from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { useEffect, useRef } from "react";
import { complete, type Known } from "./complete";

/** Something about a stretch of the text: lines and columns count characters from 1. */
export interface Remark {
  line: number;
  column: number;
  length: number;
  severity: "note" | "warning" | "stop";
  message: string;
}

interface Props {
  label: string;
  value: string;
  onChange: (text: string) => void;
  onSelect?: (selected: string, at: { left: number; top: number } | null) => void;
  remarks: Remark[];
  known: Known;
  tall?: boolean;
}

/** A text with its marks coloured, names completed and remarks underlined where they are. */
export function TextField({ label, value, onChange, onSelect, remarks, known, tall }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  // The editor lives longer than one rendering: it calls what is current then.
  const current = useRef({ onChange, onSelect, known });
  useEffect(() => {
    current.current = { onChange, onSelect, known };
  });

  const ends = useRef<string[]>([]);

  useEffect(() => {
    ends.current = lineEnds(value);
    const editor = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          keymap.of([...defaultKeymap, ...historyKeymap]),
          // A line under a text is a fence here, not the sign of a heading.
          markdown({ extensions: { remove: ["SetextHeading"] } }),
          syntaxHighlighting(headings),
          marks,
          autocompletion({ override: [(c) => complete(c, current.current.known)] }),
          linter(null),
          EditorView.lineWrapping,
          new Compartment().of(Prec.high(look)),
          EditorView.contentAttributes.of({ "aria-label": label, spellcheck: "true" }),
          EditorView.updateListener.of((u) => {
            if (u.docChanged && !u.transactions.some((t) => t.isUserEvent("outside"))) {
              ends.current = endsAfter(ends.current, u);
              current.current.onChange(textOf(u.state, ends.current));
            }
            if (u.selectionSet || u.docChanged || u.focusChanged)
              tellSelection(u, current.current.onSelect, ends.current);
          }),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
    // The text is the editor's own from here on; changes from outside come below.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [label]);

  useEffect(() => {
    const editor = view.current;
    if (!editor || textOf(editor.state, ends.current) === value) return;
    ends.current = lineEnds(value);
    editor.dispatch({
      changes: { from: 0, to: editor.state.doc.length, insert: value },
      userEvent: "outside",
    });
  }, [value]);

  useEffect(() => {
    const editor = view.current;
    if (editor)
      editor.dispatch(
        setDiagnostics(
          editor.state,
          remarks.flatMap((r) => diagnostic(editor.state, r)),
        ),
      );
  }, [remarks, value]);

  return <div ref={host} className={`mark-text ${tall ? "min-h-[440px]" : ""}`} />;
}

/** How each line of a text ends: the editor knows one way alone, and a text keeps its own. */
function lineEnds(text: string): string[] {
  return text.match(/\r\n?|\n/g) ?? [];
}

/** The line ends after a change: lines that came in end as the first one does. */
function endsAfter(ends: string[], u: ViewUpdate): string[] {
  const next = [...ends];
  const changes: [number, number, number][] = [];
  u.changes.iterChanges((from, to, _, __, inserted) => {
    const line = (at: number) => u.startState.doc.lineAt(at).number - 1;
    changes.push([line(from), line(to), inserted.lines - 1]);
  });
  for (const [first, last, added] of changes.reverse()) {
    next.splice(first, last - first, ...Array<string>(added).fill(ends[0] ?? "\n"));
  }
  return next;
}

function textOf(state: EditorState, ends: string[]): string {
  let text = "";
  let at = 0;
  for (const line of state.doc.iterLines()) text += line + (ends[at++] ?? "");
  return text;
}

function tellSelection(u: ViewUpdate, tell: Props["onSelect"], ends: string[]) {
  const { from, to, empty } = u.state.selection.main;
  if (!tell) return;
  if (empty || !u.view.hasFocus) {
    if (empty) tell("", null);
    return;
  }
  // The passage as the text has it, its own line ends included.
  const first = u.state.doc.lineAt(from).number - 1;
  const text = u.state
    .sliceDoc(from, to)
    .split("\n")
    .map((line, i, all) => line + (i < all.length - 1 ? (ends[first + i] ?? "\n") : ""))
    .join("");
  // Where it stands is known once this update is through.
  requestAnimationFrame(() => {
    const at = u.view.coordsAtPos(to);
    tell(text, at && { left: at.left, top: at.bottom });
  });
}

function diagnostic(state: EditorState, r: Remark): Diagnostic[] {
  if (r.line < 1 || r.line > state.doc.lines) return [];
  const line = state.doc.line(r.line);
  // Columns count characters, the editor counts UTF-16 units.
  const units = (n: number) => [...line.text].slice(0, n).join("").length;
  const from = Math.min(line.from + units(r.column - 1), line.to);
  const to = Math.min(line.from + units(r.column - 1 + Math.max(r.length, 1)), state.doc.length);
  const severity = r.severity === "stop" ? "error" : r.severity === "warning" ? "warning" : "info";
  return [{ from, to: Math.max(from, to), severity, message: r.message }];
}

const decorator = new MatchDecorator({
  regexp: /\{\{[^\n]*?\}\}/g,
  decoration: (m) =>
    Decoration.mark({
      class: /^\{\{\s*(include|fact)\s/.test(m[0])
        ? "cm-mark-include"
        : m[0].startsWith("{{#")
          ? "cm-mark-comment"
          : "cm-mark",
    }),
});

const marks = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) {
      this.decorations = decorator.createDeco(view);
    }
    update(u: ViewUpdate) {
      this.decorations = decorator.updateDeco(u, this.decorations);
    }
  },
  { decorations: (v) => v.decorations },
);

const headings = HighlightStyle.define([{ tag: tags.heading, fontWeight: "700" }]);

const look = EditorView.theme({
  "&": { backgroundColor: "transparent", color: "var(--ink)", fontSize: "13px" },
  "&.cm-focused": { outline: "none" },
  ".cm-scroller": {
    fontFamily: "var(--font-mono, 'JetBrains Mono Variable', monospace)",
    lineHeight: "21px",
  },
  ".cm-content": { padding: "0", caretColor: "var(--gold)" },
  ".cm-line": { padding: "0" },
  ".cm-cursor": { borderLeftColor: "var(--gold)" },
  "&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, ::selection": {
    backgroundColor: "color-mix(in srgb, var(--gilt) 40%, transparent) !important",
  },
  ".cm-mark": { backgroundColor: "var(--wash)", color: "var(--gold)", borderRadius: "3px" },
  ".cm-mark-include": {
    backgroundColor: "color-mix(in srgb, var(--snippet) 14%, transparent)",
    color: "var(--snippet)",
    borderRadius: "3px",
  },
  ".cm-mark-comment": { color: "var(--faded)", fontStyle: "italic" },
  ".cm-tooltip": {
    backgroundColor: "var(--leaf)",
    color: "var(--ink)",
    border: "1px solid var(--line)",
    borderRadius: "6px",
  },
  ".cm-tooltip-autocomplete ul li[aria-selected]": { backgroundColor: "var(--wash)", color: "var(--gold)" },
});
