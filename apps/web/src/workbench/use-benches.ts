import type { BenchRunInfo } from "@gate-clock/contract";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api } from "../app/api.ts";
import { benchRunsQuery, isLive, keptQuery } from "../app/queries.ts";
import { SimulateSession } from "../sessions/simulate-session.ts";

const noRuns: readonly BenchRunInfo[] = [];

/** The test benches of an open design: what was kept of them, their runs here and on the server. */
export function useBenches(designId: string): {
  readonly simulation: SimulateSession;
  readonly serverRuns: readonly BenchRunInfo[];
} {
  const queries = useQueryClient();
  const [simulation] = useState(() => new SimulateSession((name, value) => api.keep(designId, name, value)));
  useEffect(() => {
    const flush = () => simulation.flush();
    addEventListener("pagehide", flush);
    return () => {
      removeEventListener("pagehide", flush);
      simulation.close();
      // the next one to open the design is to see what was put away just now
      void queries.invalidateQueries({ queryKey: keptQuery(designId).queryKey, refetchType: "none" });
    };
  }, [simulation, queries, designId]);
  const { data: kept } = useQuery(keptQuery(designId));
  useEffect(() => {
    if (kept) simulation.adopt(kept);
  }, [kept, simulation]);
  const { data: serverRuns = noRuns } = useQuery(benchRunsQuery(designId));
  // a run that has ended on the server has left a verdict
  const live = serverRuns.filter(isLive).length;
  const before = useRef(live);
  useEffect(() => {
    if (live < before.current) void queries.invalidateQueries({ queryKey: keptQuery(designId).queryKey });
    before.current = live;
  }, [live, queries, designId]);
  return { simulation, serverRuns };
}
