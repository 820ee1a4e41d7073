import type { DesignFile } from "@gate-clock/contract";
import type { Finding } from "@gate-clock/core";
import { useFocus } from "../focus/focus.ts";
import { CodeEditor, type CodeLanguage } from "../ui/CodeEditor.tsx";
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
}

/** The text behind a table of rules: the same thing, seen as its file. */
export function RuleFileEditor({ file, language, findings, focusLine, kind, example }: Props) {
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
      <div className="shrink-0 border-b border-line bg-cloth px-4 py-1.5 font-mono text-xs text-soft">{file.path}</div>
      <div className="min-h-0 flex-1">
        <CodeEditor
          fileId={file.id}
          text={drafts.text(file)}
          language={language}
          label={file.path}
          findings={findings.filter((finding) => finding.place.file === file.path)}
          onChange={(text) => drafts.edit(file.id, text)}
          onRepair={repair}
          focusLine={focus?.kind === "line" && focus.file === file.path ? focus.line : (focusLine ?? null)}
        />
      </div>
    </>
  );
}
