import type { DesignFile } from "@gate-clock/contract";
import type { Finding } from "@gate-clock/core";
import { Redo2, Undo2 } from "lucide-react";
import type { ReactNode } from "react";
import { useFocus } from "../focus/focus.ts";
import { CodeEditor, type CodeLanguage, type NameService } from "../ui/CodeEditor.tsx";
import { useActs, useTexts } from "./context.ts";

interface Props {
  readonly file: DesignFile | undefined;
  readonly language: CodeLanguage;
  readonly findings: readonly Finding[];
  /** Line to show for a focus that is no line itself. */
  readonly focusLine?: number | null;
  /** What is missing, and a name for it, if there is no file. */
  readonly kind: string;
  readonly example: string;
  readonly names?: NameService;
  readonly onLine?: (line: number) => void;
}

/** The text behind a table of rules: the same thing, seen as its file. */
export function RuleFileEditor({ file, language, findings, focusLine, kind, example, names, onLine }: Props) {
  const { drafts } = useTexts();
  const { repair } = useActs();
  const [focus] = useFocus();
  if (!file) {
    return (
      <p className="p-6 text-soft">
        This target has no {kind} file. Begin one with New, such as <span className="font-mono">{example}</span>, or
        share that of another design.
      </p>
    );
  }
  return (
    <div className="min-h-0 flex-1">
      <CodeEditor
        fileId={file.id}
        text={drafts.text(file)}
        language={language}
        label={file.path}
        findings={findings.filter((finding) => finding.place.file === file.path)}
        onChange={(text) => drafts.edit(file.id, text)}
        onRepair={repair}
        names={names}
        onLine={onLine}
        focusLine={focus?.kind === "line" && focus.file === file.path ? focus.line : (focusLine ?? null)}
      />
    </div>
  );
}

/** Undo and redo of what was done to any file of the design: tables, drawings and their files are one. */
export function StepButtons() {
  const { drafts } = useTexts();
  return (
    <>
      <StepButton label="Undo" what={drafts.history.undo} keys="Ctrl+Z" onClick={drafts.undo}>
        <Undo2 className="size-3.5" />
      </StepButton>
      <StepButton label="Redo" what={drafts.history.redo} keys="Ctrl+Y" onClick={drafts.redo}>
        <Redo2 className="size-3.5" />
      </StepButton>
    </>
  );
}

/** Takes back what was done to any file of the design, or does it again: the table and its file are one. */
function StepButton({
  label,
  what,
  keys,
  onClick,
  children,
}: {
  label: string;
  what: string | null;
  keys: string;
  onClick: () => void;
  children: ReactNode;
}) {
  return (
    <button
      type="button"
      className="rounded p-1 hover:bg-raised disabled:opacity-40"
      disabled={what === null}
      title={what === null ? `${label}: nothing` : `${label}: ${what} (${keys})`}
      aria-label={what === null ? label : `${label}: ${what}`}
      onClick={onClick}
      data-testid={label.toLowerCase()}
    >
      {children}
    </button>
  );
}
