import { mergeTexts } from "./merge-texts.ts";

/** A change of one file's text. */
interface TextChange {
  readonly fileId: string;
  readonly before: string;
  readonly after: string;
}
/** What was done beside texts, such as the choice of a part: how it is taken back, and done again. */
export interface Beside {
  readonly back: () => Promise<unknown>;
  readonly again: () => Promise<unknown>;
}
interface Step {
  /** What was done, as one says it after "Undo:". */
  readonly label: string;
  readonly changes: readonly TextChange[];
  /** It was typed, letter by letter; and when the last letter was, in ms. */
  readonly typedAt: number | null;
  readonly beside: Beside | null;
}
/** What undoing or redoing makes of the files. */
interface Outcome {
  readonly label: string;
  readonly texts: readonly { readonly fileId: string; readonly text: string }[];
  readonly beside: Beside | null;
}

/** Letters that come one after the other within this time are one step. */
const pauseMs = 1500;
const mostSteps = 500;
/** Characters of all texts that are held for it: a step holds its files whole. */
const mostCharacters = 64_000_000;

/**
 * What was done to the design's texts in this page, over all files: acts of tables and repairs, and what was typed. A step
 * is taken back without what was changed since elsewhere in its file.
 */
export class EditHistory {
  private done: Step[] = [];
  private undone: Step[] = [];

  /** An act, on one file or on several at once. */
  act(label: string, changes: readonly TextChange[], beside: Beside | null = null): void {
    const real = changes.filter(({ before, after }) => before !== after);
    if (real.length || beside) this.push({ label, changes: real, typedAt: null, beside });
  }
  /** Typing; what comes soon after the letter before, in the same file, goes with it. */
  typed(path: string, change: TextChange, now: number): void {
    const { fileId, before, after } = change;
    if (before === after) return;
    const last = this.done[this.done.length - 1];
    const [own] = last?.changes ?? [];
    const goesOn = last?.typedAt != null && own.fileId === fileId && own.after === before;
    if (goesOn && now - last.typedAt! < pauseMs) {
      this.undone = [];
      this.done[this.done.length - 1] = { ...last, changes: [{ ...own, after }], typedAt: now };
    } else this.push({ label: `typing in ${path}`, changes: [change], typedAt: now, beside: null });
  }
  private push(step: Step): void {
    this.undone = [];
    this.done.push(step);
    while (this.done.length > 1 && (this.done.length > mostSteps || heldBy(this.done) > mostCharacters))
      this.done.shift();
  }

  /** Labels of what would be undone and redone; null if there is nothing. */
  get next(): { readonly undo: string | null; readonly redo: string | null } {
    return { undo: this.done.at(-1)?.label ?? null, redo: this.undone.at(-1)?.label ?? null };
  }

  /**
   * Takes the last step back.
   * @param textOf The text as it is now; null if the file is gone.
   * @returns null if there is nothing to take back.
   * @throws Error with a reason if the file has changed at that place since; the step is given up.
   */
  undo(textOf: (fileId: string) => string | null): Outcome | null {
    return turned(this.done, this.undone, textOf);
  }
  /** Does again what was taken back. @throws as `undo`. */
  redo(textOf: (fileId: string) => string | null): Outcome | null {
    return turned(this.undone, this.done, textOf);
  }
}

/** What comes before a step is what came behind the one before, the same string. */
const heldBy = (steps: readonly Step[]): number =>
  steps.reduce((sum, { changes }) => sum + changes.reduce((own, { after }) => own + after.length, 0), 0);

/** Takes the last step of one list back, and puts what does it again onto the other. */
function turned(from: Step[], to: Step[], textOf: (fileId: string) => string | null): Outcome | null {
  const step = from.pop();
  if (!step) return null;
  const { label, beside } = step;
  // all of them or none
  const made = step.changes.map(({ fileId, before, after }) => {
    const now = textOf(fileId);
    if (now === null) throw new Error(`"${label}" cannot be taken back: its file is gone.`);
    if (now === after) return { fileId, now, text: before };
    const { text, conflicts } = mergeTexts(after, before, now);
    if (conflicts) throw new Error(`"${label}" cannot be taken back: the file has been changed at that place since.`);
    return { fileId, now, text };
  });
  // turned round, so that the same way leads back
  to.push({
    label,
    changes: made.map(({ fileId, now, text }) => ({ fileId, before: now, after: text })),
    typedAt: null,
    beside,
  });
  return { label, texts: made, beside };
}
