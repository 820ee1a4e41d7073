import { autocompletion, type CompletionContext, completeAnyWord } from "@codemirror/autocomplete";
import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
import {
  bracketMatching,
  HighlightStyle,
  indentUnit,
  StreamLanguage,
  type StreamParser,
  syntaxHighlighting,
} from "@codemirror/language";
import { tcl } from "@codemirror/legacy-modes/mode/tcl";
import { verilog } from "@codemirror/legacy-modes/mode/verilog";
import { vhdl } from "@codemirror/legacy-modes/mode/vhdl";
import { type Diagnostic, lintGutter, setDiagnostics } from "@codemirror/lint";
import { highlightSelectionMatches, search, searchKeymap } from "@codemirror/search";
import { Annotation, EditorState, StateEffect, StateField } from "@codemirror/state";
import {
  Decoration,
  type DecorationSet,
  drawSelection,
  EditorView,
  highlightActiveLine,
  highlightActiveLineGutter,
  hoverTooltip,
  keymap,
  lineNumbers,
} from "@codemirror/view";
import type { Finding } from "@gate-clock/core";
import { tags } from "@lezer/highlight";
import { type RefObject, useEffect, useImperativeHandle, useRef } from "react";
import { repairsOf } from "./FindingList.tsx";
import { giveOutEvent } from "./give-out.ts";

/** Characters of a line that is still coloured: the modes take ever longer over one, up to half a minute for 20,000. */
const longestColoured = 4000;

function withoutLongLines(parser: StreamParser<unknown>): StreamParser<unknown> {
  return {
    ...parser,
    token(stream, state) {
      if (stream.string.length <= longestColoured) return parser.token(stream, state);
      stream.skipToEnd();
      return null;
    },
  };
}

export type CodeLanguage = "verilog" | "vhdl" | "sdc" | "pins";

const pinsMode: StreamParser<unknown> = {
  token(stream) {
    if (stream.match(/#.*/)) return "comment";
    if (stream.match(/(?:at(?=\s)|inside\b)/)) return "keyword";
    if (stream.match(/\w+(?==)/)) return "propertyName";
    if (stream.match(/[A-Z]{1,2}\d+\b/)) return "number";
    if (stream.match(/\S+/)) return "variableName";
    stream.next();
    return null;
  },
};
const modes = { verilog: verilog, vhdl: vhdl, sdc: tcl, pins: pinsMode } as const;

const highlight = HighlightStyle.define([
  { tag: tags.keyword, color: "var(--thread-a)", fontWeight: "600" },
  { tag: [tags.number, tags.bool], color: "var(--thread-b)" },
  { tag: tags.string, color: "var(--thread-c)" },
  { tag: tags.comment, color: "var(--soft)", fontStyle: "italic" },
  { tag: [tags.meta, tags.macroName, tags.propertyName], color: "var(--thread-d)" },
]);
const look = EditorView.theme({
  "&": { height: "100%", fontSize: "13px", backgroundColor: "var(--panel)", color: "var(--ink)" },
  ".cm-scroller": { fontFamily: "var(--font-mono), monospace", lineHeight: "1.55" },
  ".cm-gutters": { backgroundColor: "var(--panel)", color: "var(--soft)", border: "none" },
  ".cm-activeLine, .cm-activeLineGutter": { backgroundColor: "color-mix(in srgb, var(--raised) 55%, transparent)" },
  ".cm-cursor": { borderLeftColor: "var(--ink)" },
  "&.cm-focused .cm-selectionBackground, .cm-selectionBackground": { backgroundColor: "var(--indigo-wash)" },
  "&.cm-focused": { outline: "none" },
  ".cm-focus-line": { backgroundColor: "var(--indigo-wash)", boxShadow: "inset 3px 0 0 var(--indigo)" },
  ".cm-tooltip": { backgroundColor: "var(--panel)", border: "1px solid var(--line)", borderRadius: "6px" },
  ".cm-diagnostic": {
    fontFamily: "var(--font-sans), sans-serif",
    fontSize: "13px",
    maxWidth: "32rem",
    whiteSpace: "pre-wrap",
  },
  ".cm-name-info": { padding: "4px 8px", fontSize: "12px", maxWidth: "36rem" },
  ".cm-panels": { backgroundColor: "var(--raised)", color: "var(--ink)" },
});

/** How long typed text may wait before the rest of the page learns of it. */
const giveOutMs = 60;

/** Marks changes that do not come from the typist. */
const fromOutside = Annotation.define<boolean>();

const setFocusLine = StateEffect.define<number | null>();
const focusLineField = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update(marks, transaction) {
    let next = marks.map(transaction.changes);
    for (const effect of transaction.effects) {
      if (!effect.is(setFocusLine)) continue;
      const { doc } = transaction.state;
      const line = effect.value;
      next =
        line === null || line > doc.lines || line < 1
          ? Decoration.none
          : Decoration.set([Decoration.line({ class: "cm-focus-line" }).range(doc.line(line).from)]);
    }
    return next;
  },
  provide: (field) => EditorView.decorations.from(field),
});

/** What an editor can ask about the names in its text; offsets count from 0. */
export interface NameService {
  /** A line about the name, or null if there is none. */
  describe(offset: number): Promise<{ readonly title: string; readonly detail: string } | null>;
  /** @param before The line up to the cursor, as it stands in the editor. */
  complete(
    offset: number,
    before: string,
  ): Promise<
    readonly {
      readonly name: string;
      readonly kind: string;
      readonly detail: string;
      /** What is written in the place of the word, if that is not the name. */
      readonly text?: string;
    }[]
  >;
  /** Takes the word that is completed, at the end of what stands before the cursor. */
  readonly word?: RegExp;
  /** Goes to the declaration. */
  goTo(offset: number): void;
  showUses(offset: number): void;
  rename(offset: number): void;
}

/** What others may do with the text, as if it were typed: it can be undone. */
export interface EditorHandle {
  /** Place of the cursor. */
  offset(): number;
  /** Puts another text in the place of all; what is the same stays untouched. */
  replace(text: string): void;
  /** Inserts whole lines below the cursor's, indented like it. */
  insertLines(text: string): void;
}

interface Props {
  readonly handle?: RefObject<EditorHandle | null>;
  readonly names?: NameService;
  readonly fileId: string;
  readonly text: string;
  readonly language: CodeLanguage;
  readonly findings: readonly Finding[];
  readonly focusLine: number | null;
  readonly onChange: (text: string) => void;
  readonly onRepair?: (finding: Finding) => void;
  readonly label: string;
  /** Hears which line, from 1, the cursor was put on. */
  readonly onLine?: (line: number) => void;
}

/** CodeMirror with the findings of one file in gutter and text. Undo history is kept while the file stays open. */
export function CodeEditor({
  fileId,
  text,
  language,
  findings,
  focusLine,
  onChange,
  onRepair,
  label,
  names,
  handle,
  onLine,
}: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView | null>(null);
  const change = useRef(onChange);
  change.current = onChange;
  const service = useRef(names);
  service.current = names;
  const chosen = useRef(onLine);
  chosen.current = onLine;
  const startText = useRef(text);
  startText.current = text;
  /**
   * Typing is given out in pieces, a few times a second, and comes back by a render some time later. While something is
   * not given out yet, or has not come back, a render with another text is an echo of the past and not a change from
   * elsewhere: putting it into the editor would undo what was typed since.
   */
  const pending = useRef<ReturnType<typeof setTimeout> | null>(null);
  const ahead = useRef<string | null>(null);

  // biome-ignore lint/correctness/useExhaustiveDependencies: a new file is a new document with a history of its own
  useEffect(() => {
    const give = () => {
      if (pending.current === null) return;
      clearTimeout(pending.current);
      pending.current = null;
      ahead.current = editor.state.doc.toString();
      change.current(ahead.current);
    };
    const editor = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: startText.current,
        extensions: [
          lineNumbers(),
          highlightActiveLineGutter(),
          highlightActiveLine(),
          history(),
          drawSelection(),
          bracketMatching(),
          lintGutter(),
          search({ top: true }),
          highlightSelectionMatches(),
          indentUnit.of("  "),
          autocompletion({
            override: [language !== "pins" ? (context) => completeNames(context, service.current) : completeAnyWord],
          }),
          hoverTooltip(async (_, offset) => {
            const told = await service.current?.describe(offset);
            if (!told) return null;
            return {
              pos: offset,
              create: () => {
                const dom = document.createElement("div");
                dom.className = "cm-name-info";
                const title = dom.appendChild(document.createElement("strong"));
                title.textContent = told.title;
                dom.appendChild(document.createElement("div")).textContent = told.detail;
                return { dom };
              },
            };
          }),
          EditorView.domEventHandlers({
            mousedown(event, inside) {
              if (!(event.ctrlKey || event.metaKey) || event.button !== 0) return false;
              const offset = inside.posAtCoords({ x: event.clientX, y: event.clientY });
              if (offset === null || !service.current) return false;
              event.preventDefault();
              service.current.goTo(offset);
              return true;
            },
          }),
          keymap.of(
            (
              [
                ["F12", "goTo"],
                ["Shift-F12", "showUses"],
                ["F2", "rename"],
              ] as const
            ).map(([key, what]) => ({
              key,
              run: (inside: EditorView) => {
                if (!service.current) return false;
                give();
                service.current[what](inside.state.selection.main.head);
                return true;
              },
            })),
          ),
          StreamLanguage.define(withoutLongLines(modes[language] as StreamParser<unknown>)),
          syntaxHighlighting(highlight),
          look,
          focusLineField,
          keymap.of([...defaultKeymap, ...historyKeymap, ...searchKeymap, indentWithTab]),
          EditorView.contentAttributes.of({ "aria-label": label }),
          EditorView.updateListener.of((update) => {
            if (
              update.selectionSet &&
              !update.docChanged &&
              update.transactions.some((each) => each.isUserEvent("select"))
            )
              chosen.current?.(update.state.doc.lineAt(update.state.selection.main.head).number);
            if (!update.docChanged || update.transactions.some((each) => each.annotation(fromOutside))) return;
            pending.current ??= setTimeout(give, giveOutMs);
          }),
        ],
      }),
    });
    view.current = editor;
    ahead.current = null;
    addEventListener(giveOutEvent, give);
    return () => {
      give();
      removeEventListener(giveOutEvent, give);
      editor.destroy();
      view.current = null;
    };
  }, [fileId, language]);

  useImperativeHandle(
    handle,
    (): EditorHandle => ({
      offset: () => view.current?.state.selection.main.head ?? 0,
      replace: (next) => {
        const editor = view.current;
        if (!editor) return;
        editor.dispatch({ changes: differences(editor.state.doc.toString(), next), userEvent: "input" });
        editor.focus();
      },
      insertLines: (lines) => {
        const editor = view.current;
        if (!editor) return;
        const line = editor.state.doc.lineAt(editor.state.selection.main.head);
        const indent = /^[ \t]*/.exec(line.text)![0];
        const block = lines
          .trimEnd()
          .split("\n")
          .map((each) => indent + each)
          .join("\n");
        const isEmpty = line.text.trim() === "";
        const from = isEmpty ? line.from : line.to;
        editor.dispatch({
          changes: { from, to: line.to, insert: isEmpty ? block : `\n${block}` },
          selection: { anchor: from + block.length + (isEmpty ? 0 : 1) },
          userEvent: "input",
          scrollIntoView: true,
        });
        editor.focus();
      },
    }),
    [],
  );

  // at every render, and before the effect below
  useEffect(() => {
    if (pending.current === null && ahead.current === text) ahead.current = null;
  });

  // a repair, or the other version after a conflict: replace only what differs, so that the cursor stays
  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const old = editor.state.doc.toString();
    if (old === text || pending.current !== null || ahead.current !== null) return;
    editor.dispatch({ changes: difference(old, text), annotations: fromOutside.of(true) });
  }, [text]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: fileId stands for the new editor
  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    const { doc } = editor.state;
    const offset = (line: number, column: number) => {
      if (line > doc.lines) return doc.length;
      const at = doc.line(line);
      return Math.min(at.to, at.from + column - 1);
    };
    const diagnostics = findings.map((finding): Diagnostic => {
      const { place } = finding;
      const from = offset(place.line ?? 1, place.column ?? 1);
      const to = Math.max(from, offset(place.endLine ?? place.line ?? 1, place.endColumn ?? place.column ?? 1));
      const oneLine = doc.lineAt(from).to;
      return {
        from,
        to: Math.max(Math.min(to, oneLine), Math.min(from + 1, doc.length)),
        severity: finding.severity === "note" ? "info" : finding.severity,
        message: finding.remedy ? `${finding.message}\n${finding.remedy}` : finding.message,
        actions: onRepair
          ? repairsOf(finding).map((edit) => ({ name: edit.label, apply: () => onRepair({ ...finding, edit }) }))
          : undefined,
      };
    });
    editor.dispatch(setDiagnostics(editor.state, diagnostics));
  }, [findings, fileId, onRepair]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: fileId stands for the new editor
  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    editor.dispatch({ effects: setFocusLine.of(focusLine) });
    if (focusLine === null || focusLine > editor.state.doc.lines) return;
    const line = editor.state.doc.line(focusLine);
    // whoever chose the line in the text keeps the cursor where it is
    if (editor.hasFocus && editor.state.doc.lineAt(editor.state.selection.main.head).number === focusLine) return;
    editor.dispatch({
      selection: { anchor: line.from },
      effects: EditorView.scrollIntoView(line.from, { y: "center" }),
    });
  }, [focusLine, fileId]);

  return <div ref={host} className="h-full min-h-0 flex-1 overflow-hidden" data-testid="code-editor" />;
}

/** The stretch in which two texts differ, as a change from one to the other. */
function difference(old: string, text: string): { from: number; to: number; insert: string } {
  let from = 0;
  while (from < old.length && from < text.length && old[from] === text[from]) from++;
  let tail = 0;
  while (
    tail < old.length - from &&
    tail < text.length - from &&
    old[old.length - 1 - tail] === text[text.length - 1 - tail]
  )
    tail++;
  return { from, to: old.length - tail, insert: text.slice(from, text.length - tail) };
}

/** Line by line where both have as many lines: the cursor and the fold of what is the same stay. */
function differences(old: string, text: string): { from: number; to: number; insert: string }[] {
  const before = old.split("\n");
  const after = text.split("\n");
  if (before.length !== after.length) return old === text ? [] : [difference(old, text)];
  const changes: { from: number; to: number; insert: string }[] = [];
  let at = 0;
  before.forEach((line, i) => {
    if (line !== after[i]) {
      const { from, to, insert } = difference(line, after[i]);
      changes.push({ from: at + from, to: at + to, insert });
    }
    at += line.length + 1;
  });
  return changes;
}

const completionKinds: Readonly<Record<string, string>> = {
  module: "class",
  interface: "interface",
  package: "namespace",
  parameter: "constant",
  constant: "constant",
  function: "function",
  task: "function",
  type: "type",
};

/** Names in sight first, then the words of the text. */
async function completeNames(context: CompletionContext, service: NameService | undefined) {
  const word = context.matchBefore(service?.word ?? /\.?[\w$]*/);
  if ((!word || word.from === word.to) && !context.explicit) return null;
  const line = context.state.doc.lineAt(context.pos);
  const list = await service?.complete(context.pos, context.state.sliceDoc(line.from, context.pos));
  const typed = word?.text ?? "";
  if (!list?.length) return typed.startsWith(".") ? null : completeAnyWord(context);
  const from = word?.from ?? context.pos;
  return {
    from: typed.startsWith(".") ? from + 1 : from,
    options: list.map(({ name, kind, detail, text }) => ({
      label: name,
      type: completionKinds[kind] ?? "variable",
      detail: detail.slice(0, 40),
      ...(text === undefined ? {} : { apply: text }),
    })),
    validFor: service?.word ? /^[\w$./[\]]*$/ : /^[\w$]*$/,
  };
}
