import type { Finding, Place, SourceSnippet, TextEdit } from "@gate-clock/core";
import { CircleX, Info, TriangleAlert } from "lucide-react";
import { type ReactNode, useState } from "react";
import { Button } from "./Button.tsx";
import { useCopy } from "./use-copy.ts";

const severityLook = {
  error: { icon: CircleX, colour: "text-bad", word: "Error" },
  warning: { icon: TriangleAlert, colour: "text-warn", word: "Warning" },
  note: { icon: Info, colour: "text-soft", word: "Note" },
} as const;
const rank = { error: 0, warning: 1, note: 2 };

interface Actions {
  readonly onPlace?: (place: Place) => void;
  readonly onRepair?: (finding: Finding) => void;
}
interface Props extends Actions {
  readonly findings: readonly Finding[];
}

/** Worst first, else in their order. */
export const byRank = (a: Finding, b: Finding): number => rank[a.severity] - rank[b.severity];

/** Findings, worst first: what is wrong, where, what to do, and the repair where there is one. */
export function FindingList({ findings, onPlace, onRepair }: Props) {
  return (
    <ul className="divide-y divide-line" data-testid="findings">
      {[...findings].sort(byRank).map((finding, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: this list keeps nothing of its rows
        <FindingRow key={index} finding={finding} onPlace={onPlace} onRepair={onRepair} />
      ))}
    </ul>
  );
}

/** What to write in the source, to be copied: where it belongs, only its author knows. */
function Snippet({ snippets }: { snippets: readonly SourceSnippet[] }) {
  const [language, setLanguage] = useState(snippets[0].language);
  const { copy, isCopied, problem } = useCopy();
  const text = (snippets.find((each) => each.language === language) ?? snippets[0]).text;
  return (
    <details className="mt-1 text-[13px]" data-testid="snippet">
      <summary className="cursor-pointer text-indigo">What to write instead</summary>
      <div className="mt-1 flex items-center gap-2">
        <select
          className="h-6 rounded border border-line bg-panel px-1 text-xs"
          aria-label="Language"
          value={language}
          onChange={(event) => setLanguage(event.target.value as typeof language)}
        >
          <option value="verilog">Verilog</option>
          <option value="vhdl">VHDL</option>
        </select>
        <Button look="quiet" className="h-6 px-2 text-xs" onClick={() => void copy(text)}>
          {isCopied ? "Copied" : "Copy"}
        </Button>
        {problem && <span className="text-xs text-bad">{problem}</span>}
      </div>
      <pre className="mt-1 overflow-auto rounded border border-line bg-cloth p-2 font-mono text-xs">{text}</pre>
    </details>
  );
}

/** Repairs to choose from, the likeliest first. */
export function repairsOf({ edit, alternatives = [] }: Finding): readonly TextEdit[] {
  return edit ? [edit, ...alternatives] : alternatives;
}

/** @param chip Before its words. @param aside What else can be done with it. @param below More about it. */
export function FindingRow({
  finding,
  onPlace,
  onRepair,
  chip,
  aside,
  below,
}: Actions & { finding: Finding; chip?: ReactNode; aside?: ReactNode; below?: ReactNode }) {
  const { icon: Icon, colour, word } = severityLook[finding.severity];
  const { place } = finding;
  const where = place.file ? `${place.file}:${place.line ?? 1}` : (place.object ?? "");
  return (
    <li className="flex gap-2.5 px-4 py-2" data-testid={`finding-${finding.severity}`}>
      <Icon className={`mt-0.5 size-4 shrink-0 ${colour}`} aria-label={word} />
      {/* in a narrow panel what can be done stands below the words */}
      <div className="flex min-w-0 flex-1 flex-wrap items-start gap-x-2.5 gap-y-1.5">
        <div className="min-w-0 flex-[1_1_16rem]">
          <p className="break-words">
            {chip}
            {where && place.file && onPlace ? (
              <button
                type="button"
                className="mr-2 font-mono text-xs text-indigo underline"
                onClick={() => onPlace(place)}
              >
                {where}
              </button>
            ) : (
              where && <span className="mr-2 font-mono text-xs text-soft">{where}</span>
            )}
            {finding.message}
          </p>
          {finding.remedy && <p className="text-[13px] text-soft">{finding.remedy}</p>}
          {finding.snippets && <Snippet snippets={finding.snippets} />}
          {below}
        </div>
        {onRepair && repairsOf(finding).length > 0 && (
          <div className="flex flex-col items-start gap-1 self-center">
            {repairsOf(finding).map((edit) => (
              <Button
                key={edit.label}
                look="plain"
                className="h-7 justify-center"
                onClick={() => onRepair({ ...finding, edit })}
              >
                {edit.label}
              </Button>
            ))}
          </div>
        )}
        {aside}
      </div>
    </li>
  );
}
