import { diff3Merge } from "node-diff3";

interface Merged {
  readonly text: string;
  /** Places that both sides have changed: both texts stand there, between marks. */
  readonly conflicts: number;
}

export const conflictMarks = {
  mine: "// >>> changed here:",
  theirs: "// --- changed elsewhere:",
  end: "// <<< choose one of the two",
} as const;

/** Both sides' changes since a common text, line by line. Where both changed the same lines, both are kept. */
export function mergeTexts(base: string, mine: string, theirs: string): Merged {
  const lines = (text: string) => text.split("\n");
  let conflicts = 0;
  const merged = diff3Merge(lines(mine), lines(base), lines(theirs), { excludeFalseConflicts: true }).flatMap(
    (region): string[] => {
      if (region.ok) return region.ok;
      if (!region.conflict) return [];
      conflicts++;
      const { a, b } = region.conflict;
      return [conflictMarks.mine, ...a, conflictMarks.theirs, ...b, conflictMarks.end];
    },
  );
  return { text: merged.join("\n"), conflicts };
}
