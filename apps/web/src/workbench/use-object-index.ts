import { findPart, ObjectIndex, type StageName } from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import { artifactQuery } from "../app/queries.ts";
import { useDesign } from "./context.ts";

/**
 * Names of the trial that is looked at; null while it has no circuit, or that is on its way. It is made once for all that
 * ask for it, and again when another of the results that it goes by is there.
 * @param kind What is to be found: a line needs no layout. null: nothing, so that nothing is fetched.
 */
export function useObjectIndex(kind: "line" | "object" | null): ObjectIndex | null {
  const { trial } = useDesign();
  const of = kind ? trial : null;
  const laidOut = kind === "object" ? trial : null;
  const { data: netlist } = useQuery(artifactQuery(of, "synth"));
  const { data: written = null } = useQuery(artifactQuery(of, "elaborate"));
  const { data: packed = null } = useQuery(artifactQuery(laidOut, "pack"));
  const { data: placed = null } = useQuery(artifactQuery(laidOut, "place"));
  const { data: routed = null } = useQuery(artifactQuery(laidOut, "route"));
  const { data: timing = null } = useQuery(artifactQuery(laidOut, "timing"));
  const part = (of && findPart(of.part).part) ?? null;
  const keyOf = (stage: StageName, isThere: boolean) =>
    isThere ? (of?.stages.find((record) => record.stage === stage)?.key ?? null) : null;
  const queryKey = [
    "objects",
    of?.part ?? null,
    keyOf("synth", netlist !== undefined),
    keyOf("elaborate", written !== null),
    keyOf("pack", packed !== null),
    keyOf("place", placed !== null),
    keyOf("route", routed !== null),
    keyOf("timing", timing !== null),
  ];
  const { data: index = null } = useQuery({
    queryKey,
    queryFn: () => new ObjectIndex({ part: part!, netlist: netlist!, written, packed, placed, routed, timing }),
    enabled: part !== null && netlist !== undefined,
    staleTime: Infinity,
    structuralSharing: false,
    // one that knows less of the same results answers until the next one is made; one of other results never does
    placeholderData: (old: ObjectIndex | undefined, before) =>
      before?.queryKey.every((key, i) => key === null || key === queryKey[i]) ? old : undefined,
  });
  return of ? index : null;
}
