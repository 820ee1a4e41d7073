import type { PortTexts, SourceFile, Spot, SymbolEntry } from "@gate-clock/core";
import type { Remote } from "comlink";
import { useEffect, useMemo, useRef, useState } from "react";
import { connect } from "../../engine/connect.ts";
import type { NameService } from "../../ui/CodeEditor.tsx";
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
  const remote = useRef<Remote<Names> | null>(null);
  const latest = useRef({ sources, file, onSpot });
  latest.current = { sources, file, onSpot };
  useEffect(() => {
    const worker = new Worker(new URL("../../workers/names.worker.ts", import.meta.url), { type: "module" });
    remote.current = connect<Names>(worker);
    return () => {
      worker.terminate();
      remote.current = null;
    };
  }, []);
  const ask = useMemo((): NameQuestions => {
    return {
      async at(offset) {
        const { sources: files, file: name } = latest.current;
        return name === undefined || !remote.current ? null : remote.current.at(files, name, offset);
      },
      async instance(module, form) {
        return remote.current ? remote.current.instance(latest.current.sources, module, form) : null;
      },
    };
  }, []);
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
      async complete(offset) {
        const { sources: files, file: name } = latest.current;
        return name === undefined || !remote.current ? [] : remote.current.complete(files, name, offset);
      },
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
