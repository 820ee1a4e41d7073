import { GitMerge } from "lucide-react";
import { useState } from "react";
import { Button } from "../ui/Button.tsx";
import type { Conflict, Drafts, Resolution } from "./drafts.ts";
import { conflictMarks } from "./merge-texts.ts";

/** A file that was saved elsewhere while it was being edited here: nothing is lost, the engineer says what is to be. */
export function ConflictBar({
  conflict,
  drafts,
  onTold,
}: {
  conflict: Conflict;
  drafts: Drafts;
  onTold: (message: string) => void;
}) {
  const [isBusy, setBusy] = useState(false);
  const { path, theirs } = conflict;
  const act = async (how: Resolution) => {
    setBusy(true);
    const left = await drafts.resolve(conflict, how);
    setBusy(false);
    if (left)
      onTold(
        `${left === 1 ? "One place" : `${left} places`} in ${path} had been changed on both sides. Both texts stand there now, between lines that begin with "${conflictMarks.mine}": keep one of the two.`,
      );
  };
  return (
    <div
      className="flex items-center gap-3 border-b border-line bg-warn-wash px-5 py-2 text-[13px]"
      role="alert"
      data-testid="conflict"
    >
      <GitMerge className="size-4 shrink-0 text-warn" aria-hidden />
      <span className="min-w-0 flex-1">
        <span className="font-mono text-xs">{path}</span>{" "}
        {theirs
          ? "was saved in another tab or by somebody else while you were typing here. Your text is not saved yet."
          : "was removed in another tab or by somebody else while you were typing here. Your text is not saved yet."}
      </span>
      {theirs ? (
        <>
          <Button look="main" disabled={isBusy} onClick={() => void act("merge")} title="Keeps the changes of both">
            Merge both
          </Button>
          <Button disabled={isBusy} onClick={() => void act("mine")} title="The other text stays in the file's history">
            Keep mine
          </Button>
        </>
      ) : (
        <Button look="main" disabled={isBusy} onClick={() => void act("mine")}>
          Add it again
        </Button>
      )}
      <Button look="quiet" disabled={isBusy} onClick={() => void act("theirs")} title="Drops what you typed since">
        {theirs ? "Take the other" : "Let it go"}
      </Button>
    </div>
  );
}
