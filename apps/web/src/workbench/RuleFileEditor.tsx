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
}

/** The text behind a table of rules: the same thing, seen as its file. */
export function RuleFileEditor({ file, language, findings, focusLine, kind, example, names }: Props) {
  const { drafts } = useTexts();
  const { repair } = useActs();
  const [focus] = useFocus();
  if (!file) {
    return (
      <p className="p-6 text-soft">
        This design has no {kind} file. Add one, such as <span className="font-mono">{example}</span>, on the Sources
        station.
      </p>
    );
  }
  return (
    <>
      <div className="flex shrink-0 items-center border-b border-line bg-cloth pr-2 pl-4 text-xs text-soft">
        <span className="min-w-0 flex-1 truncate py-1.5 font-mono">{file.path}</span>
        <StepButton label="Undo" what={drafts.history.undo} keys="Ctrl+Z" onClick={drafts.undo}>
          <Undo2 className="size-3.5" />
        </StepButton>
        <StepButton label="Redo" what={drafts.history.redo} keys="Ctrl+Y" onClick={drafts.redo}>
          <Redo2 className="size-3.5" />
        </StepButton>
      </div>
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
          focusLine={focus?.kind === "line" && focus.file === file.path ? focus.line : (focusLine ?? null)}
        />
      </div>
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
