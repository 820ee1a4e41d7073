import { X } from "lucide-react";
import { useSyncExternalStore } from "react";
import { useSessions, useTexts } from "../../workbench/context.ts";

interface Props {
  readonly benches: readonly string[];
  readonly shown: string | null;
  readonly dumps: readonly string[];
  readonly shownDump: string | null;
  readonly onBench: (name: string) => void;
  readonly onDump: (name: string) => void;
  readonly onCloseDump: (name: string) => void;
}

const tab = (isShown: boolean) =>
  `rounded-md font-mono text-xs whitespace-nowrap ${isShown ? "bg-panel shadow-[inset_0_-2px_0_var(--indigo)]" : "hover:bg-raised"}`;

/** Test benches with their last verdicts, and opened dumps. */
export function BenchTabs({ benches, shown, dumps, shownDump, onBench, onDump, onCloseDump }: Props) {
  const { simulation } = useSessions();
  const { sourcesKey } = useTexts();
  const { verdicts } = useSyncExternalStore(simulation.subscribe, simulation.getSnapshot);
  return (
    <div className="flex min-w-0 items-center gap-1 overflow-x-auto" role="tablist" aria-label="Test benches">
      {benches.map((name) => {
        const verdict = verdicts[name];
        const [mark, colour] = !verdict ? ["·", "text-soft"] : verdict.passed ? ["✓", "text-good"] : ["✕", "text-bad"];
        return (
          <button
            key={name}
            type="button"
            role="tab"
            aria-selected={name === shown}
            className={`flex items-center gap-1.5 px-2 py-1 ${tab(name === shown)}`}
            onClick={() => onBench(name)}
            data-testid="bench-tab"
          >
            <span className={`font-semibold ${colour}`}>{mark}</span>
            {name}
            {verdict && sourcesKey !== null && verdict.sourcesKey !== sourcesKey && (
              <span className="font-sans text-[11px] text-soft italic">earlier</span>
            )}
          </button>
        );
      })}
      {dumps.map((name) => (
        <span key={name} className={`flex items-center ${tab(name === shownDump)}`}>
          <button
            type="button"
            role="tab"
            aria-selected={name === shownDump}
            className="py-1 pl-2"
            onClick={() => onDump(name)}
          >
            {name}
          </button>
          <button
            type="button"
            className="p-1 text-soft hover:text-bad"
            aria-label={`Close ${name}`}
            onClick={() => onCloseDump(name)}
          >
            <X className="size-3" />
          </button>
        </span>
      ))}
    </div>
  );
}
