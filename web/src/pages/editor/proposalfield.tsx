import { t } from "@lingui/core/macro";
import { markdown } from "@codemirror/lang-markdown";
import { unifiedMergeView } from "@codemirror/merge";
import { EditorState } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { useEffect, useRef } from "react";

/** A proposed text with what it changes in another, part by part; each part can be left out, or written over. */
export function ProposalField(props: { text: string; proposed: string; onChange: (text: string) => void }) {
  const host = useRef<HTMLDivElement>(null);
  const current = useRef(props.onChange);
  useEffect(() => {
    current.current = props.onChange;
  });
  useEffect(() => {
    const view = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: props.proposed,
        extensions: [
          markdown(),
          EditorView.lineWrapping,
          unifiedMergeView({
            original: props.text,
            highlightChanges: true,
            gutter: false,
            mergeControls: (type, action) => {
              const button = document.createElement("button");
              button.type = "button";
              button.textContent = type === "reject" ? t`Leave this out` : "";
              button.hidden = type === "accept"; // what is not left out is taken
              button.className = "cm-leave-out";
              button.onmousedown = action;
              button.onclick = (e) => {
                if (e.detail === 0) action(e); // by the keyboard
              };
              return button;
            },
          }),
          look,
          EditorView.contentAttributes.of({ "aria-label": t`The proposal`, spellcheck: "true" }),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) current.current(u.state.doc.toString());
          }),
        ],
      }),
    });
    return () => view.destroy();
  }, [props.text, props.proposed]);
  return (
    <div
      ref={host}
      data-testid="proposal"
      className="max-h-[55vh] overflow-auto rounded-field border border-line bg-leaf px-4 py-3"
    />
  );
}

const look = EditorView.theme({
  "&": { backgroundColor: "transparent", color: "var(--ink)", fontSize: "13px" },
  "&.cm-focused": { outline: "none" },
  ".cm-scroller": {
    fontFamily: "var(--font-mono, 'JetBrains Mono Variable', monospace)",
    lineHeight: "21px",
  },
  ".cm-content": { padding: "0", caretColor: "var(--gold)" },
  ".cm-changedLine": { backgroundColor: "color-mix(in srgb, var(--wash) 60%, transparent) !important" },
  ".cm-changedText": { background: "var(--wash) !important", fontWeight: "600" },
  ".cm-deletedChunk": { backgroundColor: "transparent !important", paddingLeft: "0 !important" },
  ".cm-deletedLine, .cm-deletedChunk .cm-deletedText": {
    color: "var(--faded)",
    textDecoration: "line-through",
    background: "none !important",
  },
  ".cm-deletedChunk button.cm-leave-out": {
    font: "600 13px var(--font-sans, sans-serif)",
    color: "var(--gold)",
    background: "var(--leaf)",
    border: "1px solid var(--line)",
    borderRadius: "6px",
    padding: "2px 8px",
    cursor: "pointer",
  },
});
