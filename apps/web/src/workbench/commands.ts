/** Something that can be done by its name, and by keys if it has any. */
export interface Command {
  readonly id: string;
  /** What it does, as one says it: "Build", "Go to Timing". */
  readonly title: string;
  readonly group: string;
  /** As in `Ctrl+Enter`, or one key after the other: `G T`. */
  readonly keys?: string;
  /** False: it is shown, and cannot be done now. */
  readonly isReady?: boolean;
  run(): void;
}

/** Keys that work while a place has the focus: told of in the list, handled where they work. */
interface LocalKeys {
  readonly where: string;
  readonly keys: readonly (readonly [keys: string, what: string])[];
}

export const localKeys: readonly LocalKeys[] = [
  {
    where: "The editor",
    keys: [
      ["F12", "Go to the declaration"],
      ["Shift+F12", "Show all uses"],
      ["F2", "Rename"],
      ["Ctrl+F", "Find in the file"],
      ["Ctrl+Z", "Undo"],
    ],
  },
  {
    where: "Waves",
    keys: [
      ["← →", "To the change before or behind"],
      ["+ −", "Zoom"],
      ["0", "Show all"],
      ["B", "Show what is between the cursors"],
      ["M", "Mark the time"],
      ["G", "Group the chosen rows"],
      ["Delete", "Take the chosen rows away"],
    ],
  },
  {
    where: "Die map and circuit",
    keys: [
      ["+ −", "Zoom"],
      ["0", "Show all"],
      ["arrows", "Move the view"],
    ],
  },
  { where: "Tables", keys: [["↑ ↓", "To the row above or below"]] },
];

/**
 * How well a title answers what was typed: 0 not at all. All of its letters must come in order; beginnings of words, and letters
 * side by side, count more. The best of all ways to find them, in O(title x typed).
 */
export function matchScore(title: string, typed: string): number {
  const text = title.toLowerCase();
  const wanted = typed.toLowerCase().replace(/\s+/g, "");
  if (wanted === "") return 1;
  const isLetter = (at: number) => /[\p{L}\p{N}]/u.test(text[at] ?? "");
  // [places] Best score with the letters so far, the last of them there
  let best = new Array<number>(text.length).fill(Number.NEGATIVE_INFINITY);
  for (let j = 0; j < wanted.length; j++) {
    const next = new Array<number>(text.length).fill(Number.NEGATIVE_INFINITY);
    let before = j === 0 ? 0 : Number.NEGATIVE_INFINITY;
    for (let at = 0; at < text.length; at++) {
      const side = at > 0 && j > 0 ? best[at - 1] : Number.NEGATIVE_INFINITY;
      if (text[at] === wanted[j]) next[at] = Math.max(before + (isLetter(at - 1) ? 1 : 2.5), side + 3);
      if (j > 0) before = Math.max(before, best[at]);
    }
    best = next;
  }
  const score = Math.max(...best);
  return score > 0 ? score / wanted.length + 1 / (1 + title.length) : 0;
}

/** Commands that answer, the best first; in their own order where they are as good. */
export function matching(commands: readonly Command[], typed: string): Command[] {
  return commands
    .map((command, i) => ({ command, i, score: matchScore(command.title, typed) }))
    .filter(({ score }) => score > 0)
    .sort((a, b) => b.score - a.score || a.i - b.i)
    .map(({ command }) => command);
}

interface KeyPress {
  readonly key: string;
  readonly ctrlKey: boolean;
  readonly metaKey: boolean;
  readonly altKey: boolean;
  readonly shiftKey: boolean;
}

/** What was pressed, as commands name it; null for a key that only goes with others. */
export function pressed({ key, ctrlKey, metaKey, altKey, shiftKey }: KeyPress): string | null {
  if (["Control", "Shift", "Alt", "Meta"].includes(key)) return null;
  const name = key.length === 1 ? key.toUpperCase() : key;
  // both are known for it
  if ((ctrlKey || metaKey) && shiftKey && name === "Z") return "Ctrl+Y";
  return `${ctrlKey || metaKey ? "Ctrl+" : ""}${altKey ? "Alt+" : ""}${name}`;
}

/** Follows keys that come one after the other. */
export class KeySequence {
  private before: { readonly keys: string; readonly at: number } | null = null;

  /** @param pauseMs Longest time between two keys of a sequence. */
  constructor(private readonly pauseMs = 1200) {}

  /** @returns The command whose keys are complete, if any, and whether the key was taken. */
  press(keys: string, now: number, commands: readonly Command[]): { command: Command | null; isTaken: boolean } {
    const first = this.before && now - this.before.at <= this.pauseMs ? `${this.before.keys} ` : "";
    for (const whole of first ? [first + keys, keys] : [keys]) {
      const command = commands.find((each) => each.keys === whole);
      if (command) {
        this.before = null;
        return { command, isTaken: true };
      }
      if (commands.some((each) => each.keys?.startsWith(`${whole} `))) {
        this.before = { keys: whole, at: now };
        return { command: null, isTaken: true };
      }
    }
    this.before = null;
    return { command: null, isTaken: false };
  }
}
