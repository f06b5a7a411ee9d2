import {
  autocompletion,
  type Completion,
  type CompletionContext,
  type CompletionResult,
  closeCompletion,
  completionKeymap,
  completionStatus,
} from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap } from "@codemirror/commands";
import { type Diagnostic, setDiagnostics } from "@codemirror/lint";
import { EditorState, Prec } from "@codemirror/state";
import {
  Decoration,
  type DecorationSet,
  EditorView,
  keymap,
  MatchDecorator,
  placeholder,
  ViewPlugin,
  type ViewUpdate,
} from "@codemirror/view";
import { useEffect, useRef } from "react";
import type { Problem } from "../api/client";
import { codeFont } from "../state/theme";

const WORDS =
  "AND|OR|NOT|IN|BETWEEN|LIKE|ESCAPE|IS|NULL|TRUE|FALSE|CASE|WHEN|THEN|ELSE|END|CAST|AS|DATE|TIMESTAMP|INTERVAL|EXTRACT|FROM|CURRENT_DATE";

const marks = new MatchDecorator({
  regexp: new RegExp(`'(?:[^']|'')*'?|--.*|\\b(?:viewer|page)\\.\\w+|\\b(?:${WORDS})\\b`, "gi"),
  decoration: (match) => {
    const text = match[0];
    const kind = text.startsWith("'") ? "value" : text.startsWith("--") ? "comment" : /^(viewer|page)\./i.test(text) ? "viewer" : "word";
    return Decoration.mark({ class: `cond-${kind}` });
  },
});

const colouring = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet;
    constructor(view: EditorView) {
      this.decorations = marks.createDeco(view);
    }
    update(update: ViewUpdate) {
      this.decorations = marks.updateDeco(update, this.decorations);
    }
  },
  { decorations: (plugin) => plugin.decorations },
);

const look = EditorView.theme({
  ".cm-content": { fontFamily: codeFont, fontSize: "12.5px", padding: "6px 0" },
  ".cond-word": { color: "var(--heather)", fontWeight: "700" },
  ".cond-value": { color: "var(--moss)" },
  ".cond-viewer": { color: "var(--tarn)", fontWeight: "700" },
  ".cond-comment": { color: "var(--soft)", fontStyle: "italic" },
  ".cm-lintRange-error": { backgroundImage: "none", textDecoration: "underline wavy var(--rust)", textUnderlineOffset: "3px" },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground, ::selection": { backgroundColor: "var(--heather-soft) !important" },
  ".cm-placeholder": { color: "var(--soft)" },
});

/** A name that can be completed: its text, what it is, and for columns the quoted form. */
export type Known = { label: string; detail: string };

type Props = {
  value: string;
  onChange: (text: string) => void;
  names: Known[];
  problem?: Problem | null;
  label: string;
  hint?: string;
  /** The values of a column, by its name as it is written, that begin with what was typed. */
  valuesOf?: (name: string, typed: string) => Promise<string[]>;
};

/** What stands before an open quote: the column that is compared, and the text begun. */
const OPEN_VALUE = /("[^"]+"\."[^"]+"|"[^"]+"|[\w.]+)\s*(?:=|<>|LIKE|NOT\s+LIKE|(?:NOT\s+)?IN\s*\((?:\s*'[^']*'\s*,)*)\s*'([^']*)$/i;

/** Escape closes the list of names, and after that leaves the text. */
function closeOrLeave(editor: EditorView): boolean {
  if (completionStatus(editor.state)) return closeCompletion(editor);
  editor.contentDOM.blur();
  return true;
}

/** A condition as text, checked as it is typed: words coloured, names completed, the wrong place underlined. */
export function ConditionEditor({ value, onChange, names, problem, label, hint, valuesOf }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const latest = useRef({ onChange, names, valuesOf });
  latest.current = { onChange, names, valuesOf };

  // The editor is made once; later changes of text and problem are sent to it below.
  // biome-ignore lint/correctness/useExhaustiveDependencies: see above
  useEffect(() => {
    if (!host.current) return;
    const complete = async (context: CompletionContext): Promise<CompletionResult | null> => {
      const begun = OPEN_VALUE.exec(context.state.sliceDoc(Math.max(0, context.pos - 2000), context.pos));
      if (begun && latest.current.valuesOf) {
        const typed = begun[2] ?? "";
        const values = await latest.current.valuesOf((begun[1] ?? "").replaceAll('"', ""), typed).catch(() => []);
        const options = values.map((text) => ({ label: text.replaceAll("'", "''"), type: "text" }));
        return { from: context.pos - typed.length, options, validFor: /^[^']*$/ };
      }
      const word = context.matchBefore(/[\w.]*/);
      if (!word || (word.from === word.to && !context.explicit)) return null;
      const options: Completion[] = latest.current.names.map((name) => ({ label: name.label, detail: name.detail, type: "variable" }));
      return { from: word.from, options, validFor: /^[\w.]*$/ };
    };
    const made = new EditorView({
      parent: host.current,
      state: EditorState.create({
        doc: value,
        extensions: [
          history(),
          Prec.high(keymap.of([{ key: "Escape", run: closeOrLeave }])),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          autocompletion({ override: [complete], icons: false }),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": label }),
          placeholder(hint ?? ""),
          colouring,
          look,
          EditorView.updateListener.of((update) => {
            if (update.docChanged) latest.current.onChange(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = made;
    return () => made.destroy();
  }, []);

  useEffect(() => {
    const editor = view.current;
    if (editor && editor.state.doc.toString() !== value)
      editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
  }, [value]);

  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const length = editor.state.doc.length;
    const found: Diagnostic[] = [];
    if (problem && problem.start !== null && problem.start !== undefined) {
      const from = Math.min(problem.start, Math.max(length - 1, 0));
      found.push({ from, to: Math.min(Math.max(problem.end ?? from + 1, from), length), severity: "error", message: problem.message });
    }
    editor.dispatch(setDiagnostics(editor.state, found));
  }, [problem]);

  // Escape is the editor's own: a dialog around it stays open.
  // biome-ignore lint/a11y/noStaticElementInteractions: nothing is done here, a key is only kept from going further
  return <div ref={host} data-testid="condition" onKeyDown={(event) => event.key === "Escape" && event.stopPropagation()} />;
}
