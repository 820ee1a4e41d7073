import type { Design, Trial } from "@gate-clock/contract";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { isLive, updateDesign } from "../app/queries.ts";

/** Keeps the last trial fresh while it is queued or running, from the server's event stream. */
export function useLiveTrial(design: Design | undefined): void {
  const queries = useQueryClient();
  const trial = design?.lastTrial;
  const liveId = trial && isLive(trial) ? trial.id : null;
  const designId = design?.id;
  useEffect(() => {
    if (!liveId || !designId) return;
    const source = new EventSource(`/api/designs/${designId}/trials/${liveId}/events`);
    source.onmessage = (event) => {
      const next = JSON.parse(event.data as string) as Trial;
      updateDesign(queries, designId, (old) =>
        old.targetId === next.targetId && (!old.lastTrial || old.lastTrial.number <= next.number)
          ? { ...old, lastTrial: next }
          : old,
      );
      if (!isLive(next)) {
        source.close();
        void queries.invalidateQueries({ queryKey: ["designs"] });
        void queries.invalidateQueries({ queryKey: ["targets", designId] });
      }
    };
    // the browser reconnects by itself; when the server is gone for good, the page says so
    return () => source.close();
  }, [liveId, designId, queries]);
}
