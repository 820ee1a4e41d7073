import type { StageArtifacts } from "@gate-clock/core";
import type { Remote } from "comlink";
import { useMemo } from "react";
import type { Circuits } from "../../workers/circuit.worker.ts";
import { answered, engine, identityOf } from "../../workers/engine.ts";

/** Questions about a circuit, as queries. */
export interface AskedCircuits {
  readonly isThere: boolean;
  /** @param of What the answer depends on, besides the circuit. */
  query<T>(
    of: readonly unknown[],
    ask: (circuits: Remote<Circuits>) => Promise<T>,
  ): typeof answered & {
    readonly queryKey: readonly unknown[];
    readonly queryFn: (context: { readonly signal: AbortSignal }) => Promise<T>;
    readonly enabled: boolean;
  };
}

/** A worker that has been told the circuit as written, and as built if it is, answers them one after another. */
export function useCircuits(
  elaborated: StageArtifacts["elaborate"] | null,
  mapped: StageArtifacts["synth"] | null,
): AskedCircuits {
  return useMemo(() => {
    const topic = `${elaborated ? identityOf(elaborated) : 0}/${mapped ? identityOf(mapped) : 0}`;
    return {
      isThere: elaborated !== null,
      query: (of, ask) => ({
        ...answered,
        queryKey: ["circuit", topic, ...of],
        queryFn: ({ signal }) =>
          engine.ask("circuit", ask, {
            topic,
            quick: true,
            signal,
            stays: true,
            prepare: (circuits) => circuits.load(elaborated!.netlist, elaborated!.hierarchy, mapped),
          }),
        enabled: elaborated !== null,
      }),
    };
  }, [elaborated, mapped]);
}
