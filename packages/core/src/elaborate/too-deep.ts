import type { Finding } from "../common/finding.ts";
import type { SourceSet } from "../common/source.ts";

/** True of the engine's word for a stack that is full. */
export const isFullStack = (error: unknown): boolean =>
  error instanceof RangeError && /call stack/i.test(error.message);

/**
 * A finding for a text that nests more deeply than there is room for, or whose expression is too long: at the statement
 * with the most brackets, operators and words for blocks between two semicolons, which is where the depth comes from.
 */
export function tooDeep(sources: SourceSet): Finding {
  let most = { file: 0, start: 0, end: 0, count: 0 };
  sources.files.forEach(({ text }, file) => {
    let start = 0;
    let count = 0;
    const take = (end: number) => {
      if (count > most.count) most = { file, start, end, count };
      start = end + 1;
      count = 0;
    };
    // comments and strings may be counted with the rest: they are never the longest part of such a text
    for (const match of text.matchAll(
      /;|[-+*/&|^~!<>=?:([{]|\b(?:if|else|elsif|begin|case|generate|and|or|xor|loop)\b/gi,
    )) {
      if (match[0] === ";") take(match.index);
      else count++;
    }
    take(text.length);
  });
  const { file, start, end } = most;
  const text = sources.files[file]?.text ?? "";
  const from = start + (/^\s*/.exec(text.slice(start, end))?.[0].length ?? 0);
  return {
    code: "text/too-deep",
    severity: "error",
    place: sources.files.length ? sources.place({ file, start: from, end: Math.min(end, from + 40) }) : {},
    message: `This statement nests more deeply, or is longer, than can be worked out: it has ${most.count} operators, brackets and blocks.`,
    remedy: "Part it into several, with names for what is between.",
  };
}
