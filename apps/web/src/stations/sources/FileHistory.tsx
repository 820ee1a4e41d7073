import { MergeView } from "@codemirror/merge";
import { EditorState } from "@codemirror/state";
import { EditorView, lineNumbers } from "@codemirror/view";
import type { DesignFile } from "@gate-clock/contract";
import { useQuery } from "@tanstack/react-query";
import { RotateCcw, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { api } from "../../app/api.ts";
import { LoadingPanel, ProblemPanel } from "../../app/StatePages.tsx";
import { Button } from "../../ui/Button.tsx";
import { formatWhen } from "../../ui/format.ts";
import { useDesign } from "../../workbench/context.ts";

interface Props {
  readonly file: DesignFile;
  readonly text: string;
  readonly onRestore: (text: string) => void;
  readonly onClose: () => void;
}

/** The saved versions of a file, one beside the text as it is now. */
export function FileHistory({ file, text, onRestore, onClose }: Props) {
  const { design } = useDesign();
  const { data, error, refetch } = useQuery({
    queryKey: ["designs", design.id, "files", file.id, "versions", file.version],
    queryFn: () => api.fileHistory(design.id, file.id),
  });
  const [chosen, setChosen] = useState<number | null>(null);
  const others = data?.filter((version, i) => i > 0 || version.text !== text) ?? [];
  const version = others.find((each) => each.version === chosen) ?? others[0];
  return (
    <section className="flex h-full flex-col bg-panel" data-testid="file-history">
      <header className="flex h-10 shrink-0 items-center gap-3 border-b border-line px-4 text-[13px]">
        <h2 className="font-semibold">
          <span className="font-mono">{file.path}</span>
          {version ? `: version ${version.version} beside the text as it is now` : ""}
        </h2>
        <span className="flex-1" />
        {version && (
          <Button className="h-7" onClick={() => onRestore(version.text)}>
            <RotateCcw className="size-3.5" /> Restore version {version.version}
          </Button>
        )}
        <button
          type="button"
          className="rounded p-1 text-soft hover:bg-raised"
          onClick={onClose}
          aria-label="Close the history"
        >
          <X className="size-4" />
        </button>
      </header>
      {!data ? (
        error ? (
          <ProblemPanel error={error} onRetry={() => void refetch()} />
        ) : (
          <LoadingPanel what="the history" />
        )
      ) : !version ? (
        <p className="p-4 text-soft">This file has been saved once only; there is nothing to compare with.</p>
      ) : (
        <div className="flex min-h-0 flex-1">
          <ul className="w-44 shrink-0 overflow-auto border-r border-line py-1">
            {others.map((each) => (
              <li key={each.version}>
                <button
                  type="button"
                  className={`w-full px-3 py-1 text-left text-xs ${each === version ? "bg-indigo-wash" : "hover:bg-raised"}`}
                  onClick={() => setChosen(each.version)}
                >
                  <span className="font-semibold">Version {each.version}</span>
                  <span className="block text-soft">{formatWhen(each.createdAt)}</span>
                </button>
              </li>
            ))}
          </ul>
          <Comparison key={version.version} before={version.text} after={text} />
        </div>
      )}
    </section>
  );
}

const look = EditorView.theme({
  "&": { fontSize: "12px", backgroundColor: "var(--panel)", color: "var(--ink)" },
  ".cm-scroller": { fontFamily: "var(--font-mono), monospace" },
  ".cm-gutters": { backgroundColor: "var(--panel)", color: "var(--soft)", border: "none" },
  ".cm-changedLine": { backgroundColor: "var(--warn-wash) !important" },
  ".cm-changedText": { background: "none", borderBottom: "2px solid var(--warn)" },
  ".cm-collapsedLines": { background: "var(--raised)", color: "var(--soft)" },
  ".cm-collapsedLines::before, .cm-collapsedLines::after": { content: "''" },
});

function Comparison({ before, after }: { before: string; after: string }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const extensions = [lineNumbers(), look, EditorState.readOnly.of(true), EditorView.lineWrapping];
    const view = new MergeView({
      a: { doc: before, extensions },
      b: { doc: after, extensions },
      parent: host.current!,
      collapseUnchanged: { margin: 4, minSize: 8 },
    });
    return () => view.destroy();
  }, [before, after]);
  return <div ref={host} className="min-w-0 flex-1 overflow-auto" />;
}
