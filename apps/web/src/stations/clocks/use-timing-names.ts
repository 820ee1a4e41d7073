import type { DesignCheck, QueryRecord } from "@gate-clock/core";
import { timingCommands } from "@gate-clock/core";
import { useMemo } from "react";
import type { NameService } from "../../ui/CodeEditor.tsx";

/** Offset of a line and column, both from 1. */
function offsetOf(text: string, line: number, column: number): number {
  let at = 0;
  for (let i = 1; i < line; i++) {
    const next = text.indexOf("\n", at);
    if (next < 0) return text.length;
    at = next + 1;
  }
  return at + column - 1;
}

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
        const own = queries.filter(({ place }) => {
          const from = offsetOf(text, place.line ?? 1, place.column ?? 1);
          const to = offsetOf(text, place.endLine ?? 1, place.endColumn ?? 1);
          return from <= offset && offset <= to;
        });
        // the innermost one, which was run first of those around it
        const [query] = own.sort((a, b) => spanOf(a) - spanOf(b));
        return query ? describeQuery(query) : null;
      },
      async complete(offset) {
        const before = text.slice(text.lastIndexOf("\n", offset - 1) + 1, offset);
        if (/^\s*\w*$/.test(before))
          return timingCommands.map((name) => ({ name, kind: "function", detail: "command" }));
        const inClocks = /get_clocks[^\]]*$|-clock\s+\S*$/.test(before);
        const clocks = (check?.clocks ?? []).map(({ name }) => ({ name, kind: "constant", detail: "clock" }));
        if (inClocks) return clocks;
        const ports = (check?.needs ?? []).map(({ bitName, direction }) => ({
          name: bitName,
          kind: "variable",
          detail: direction,
        }));
        const queryWords = ["get_ports", "get_cells", "get_pins", "get_nets", "get_clocks", "all_registers"].map(
          (name) => ({
            name,
            kind: "function",
            detail: "query",
          }),
        );
        return /\[\w*$/.test(before) ? queryWords : [...clocks, ...ports];
      },
      goTo: nothing,
      showUses: nothing,
      rename: nothing,
    };
  }, [check, path, text]);
}

const spanOf = ({ place }: QueryRecord) =>
  ((place.endLine ?? 1) - (place.line ?? 1)) * 10_000 + (place.endColumn ?? 1) - (place.column ?? 1);
