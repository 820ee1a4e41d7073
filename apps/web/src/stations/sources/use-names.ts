import type { PortTexts, SourceFile, Spot, SymbolEntry } from "@gate-clock/core";
import { useQueryClient } from "@tanstack/react-query";
import type { Remote } from "comlink";
import { useMemo, useRef, useState } from "react";
import type { NameService } from "../../ui/CodeEditor.tsx";
import { answered, engine, identityOf } from "../../workers/engine.ts";
import type { Names } from "../../workers/names.worker.ts";

/** A list of places: uses of a name, or finds of a search. */
export interface PlaceList {
  readonly title: string;
  readonly spots: readonly Spot[];
  /** Set while a new name is being typed. */
  readonly renaming: SymbolEntry | null;
}

/** Questions about the open file's names. */
interface NameQuestions {
  at(offset: number): Promise<SymbolEntry | null>;
  complete(offset: number): Promise<readonly SymbolEntry[]>;
  /** A module's or entity's ports written out: as an instance, a component, or a wrapper. */
  instance(module: string, form: keyof PortTexts): Promise<string | null>;
}

const places = (count: number) => `${count} ${count === 1 ? "place" : "places"}`;

/** The names of the open file, answered by a worker. */
export function useNames(
  sources: readonly SourceFile[],
  file: string | undefined,
  onSpot: (spot: Spot) => void,
): {
  service: NameService | undefined;
  list: PlaceList | null;
  setList: (list: PlaceList | null) => void;
  ask: NameQuestions;
} {
  const [list, setList] = useState<PlaceList | null>(null);
  const queries = useQueryClient();
  const latest = useRef({ sources, file, onSpot });
  latest.current = { sources, file, onSpot };
  const ask = useMemo((): NameQuestions => {
    /** Asked once of the same texts. */
    const once = <T>(
      what: readonly unknown[],
      question: (names: Remote<Names>, files: readonly SourceFile[]) => Promise<T>,
    ) => {
      const { sources: files } = latest.current;
      return queries.fetchQuery({
        ...answered,
        gcTime: 60_000,
        queryKey: ["names", identityOf(files), ...what],
        queryFn: () => engine.ask("names", (names) => question(names, files), { topic: "names", quick: true }),
      });
    };
    return {
      async at(offset) {
        const { file: name } = latest.current;
        return name === undefined ? null : once(["at", name, offset], (names, files) => names.at(files, name, offset));
      },
      async complete(offset) {
        const { file: name } = latest.current;
        return name === undefined
          ? []
          : once(["complete", name, offset], (names, files) => names.complete(files, name, offset));
      },
      async instance(module, form) {
        return once(["instance", module, form], (names, files) => names.instance(files, module, form));
      },
    };
  }, [queries]);
  const service = useMemo((): NameService => {
    const { at } = ask;
    return {
      async describe(offset) {
        const entry = await at(offset);
        if (!entry) return null;
        const where = entry.within ? ` in ${entry.within}` : "";
        return {
          title: `${entry.name}: ${entry.kind}${where}`,
          detail: entry.detail || `${entry.spot.file}:${entry.spot.line}`,
        };
      },
      complete: ask.complete,
      goTo(offset) {
        void at(offset).then((entry) => entry && !entry.isLibrary && latest.current.onSpot(entry.spot));
      },
      showUses(offset) {
        void at(offset).then(
          (entry) =>
            entry &&
            setList({
              title: `${entry.uses.length} ${entry.uses.length === 1 ? "use" : "uses"} of ${entry.name}`,
              spots: entry.uses,
              renaming: null,
            }),
        );
      },
      rename(offset) {
        void at(offset).then(
          (entry) =>
            entry &&
            !entry.isLibrary &&
            setList({
              title: `Rename ${entry.name}, ${places(entry.uses.length)}`,
              spots: entry.uses,
              renaming: entry,
            }),
        );
      },
    };
  }, [ask]);
  return { service: file === undefined ? undefined : service, list, setList, ask };
}
