import { type DesignCheck, type QueryRecord, type TimingName, typedWord } from "@gate-clock/core";
import { useMemo } from "react";
import type { NameService } from "../../ui/CodeEditor.tsx";
import { engine } from "../../workers/engine.ts";

/** Line and column of an offset, both from 1, as one number that goes up through the text. */
function positionOf(text: string, offset: number): number {
  let line = 1;
  let start = 0;
  for (let next = text.indexOf("\n"); next >= 0 && next < offset; next = text.indexOf("\n", start)) {
    line++;
    start = next + 1;
  }
  return position(line, offset - start + 1);
}
const position = (line = 1, column = 1) => line * 2 ** 20 + column;

const describeQuery = ({ text, count, names, kind }: QueryRecord) => ({
  title: `${text}: ${count} ${kind}${count === 1 ? "" : "s"}`,
  detail: `${names.slice(0, 60).join("  ")}${count > 60 ? "  ..." : ""}`,
});

/** What a timing file's editor knows: what each query matches in the design as it is, and the names that may follow. */
export function useTimingNames(check: DesignCheck | null, path: string | undefined, text: string): NameService {
  return useMemo((): NameService => {
    const queries = (check?.queries ?? []).filter(({ place }) => place.file === path);
    const nothing = () => undefined;
    return {
      async describe(offset) {
        const at = positionOf(text, offset);
        const own = queries.filter(
          ({ place }) => position(place.line, place.column) <= at && at <= position(place.endLine, place.endColumn),
        );
        // the innermost one, which was run first of those around it
        const [query] = own.sort((a, b) => spanOf(a) - spanOf(b));
        return query ? describeQuery(query) : null;
      },
      word: typedWord,
      async complete(_, before) {
        const names = await engine.ask("check", (checker) => checker.timingNames(before), {
          topic: "check",
          quick: true,
        });
        return names.map(({ name, text: written, kind }) => ({
          name,
          kind: kinds[kind],
          detail: kind,
          text: written,
        }));
      },
      goTo: nothing,
      showUses: nothing,
      rename: nothing,
    };
  }, [check, path, text]);
}

/** Kinds of names by the editor's words for their marks. */
const kinds: Readonly<Record<TimingName["kind"], string>> = {
  command: "function",
  query: "function",
  clock: "constant",
  port: "variable",
  cell: "module",
  pin: "variable",
  net: "variable",
};

const spanOf = ({ place }: QueryRecord) =>
  position(place.endLine, place.endColumn) - position(place.line, place.column);
