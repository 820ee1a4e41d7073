import type { Design, LiveTrial, ServerEvent, Target, Trial } from "@gate-clock/contract";
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { benchRunsQuery, designKey, designsQuery, isLive, targetsQuery, trialsQuery, updateDesign } from "./queries.ts";

/** Keeps everything that the page shows of the server fresh, by the one stream that all tabs share. */
export function useServerEvents(): void {
  const queries = useQueryClient();
  useEffect(() => follow((event) => takeIn(queries, event)), [queries]);
}

/** @returns A function that ends it. */
function follow(hear: (event: ServerEvent) => void): () => void {
  if (typeof SharedWorker === "undefined") {
    const source = new EventSource("/api/events");
    source.onmessage = ({ data }) => hear(JSON.parse(data as string) as ServerEvent);
    return () => source.close();
  }
  let port: MessagePort | null = null;
  const start = () => {
    const worker = new SharedWorker(new URL("../engine/event-stream.shared.ts", import.meta.url), { type: "module" });
    port = worker.port;
    port.onmessage = ({ data }) => hear(data as ServerEvent);
    port.start();
  };
  const end = () => {
    port?.postMessage("bye");
    port?.close();
    port = null;
  };
  // a page that comes back out of the browser's memory has missed what was told meanwhile
  const back = ({ persisted }: PageTransitionEvent) => {
    if (!persisted) return;
    start();
    hear({ kind: "again" });
  };
  start();
  addEventListener("pagehide", end);
  addEventListener("pageshow", back);
  return () => {
    removeEventListener("pagehide", end);
    removeEventListener("pageshow", back);
    end();
  };
}

function takeIn(queries: QueryClient, event: ServerEvent): void {
  switch (event.kind) {
    case "alive":
      return;
    case "again":
      void queries.invalidateQueries({ predicate: ({ queryKey: [kind] }) => kind !== "artifact" });
      return;
    case "design": {
      const { designId, file } = event;
      const queryKey = designKey(designId);
      const views = queries.getQueriesData<Design>({ queryKey });
      const known = views.flatMap(([, design]) => design?.files.find((each) => each.id === file?.id) ?? []);
      // our own save, whose answer has been taken in
      if (!file || known.length === 0 || known.some(({ version }) => version < file.version))
        void queries.invalidateQueries({ queryKey });
      void queries.invalidateQueries({ queryKey: designsQuery.queryKey, exact: true });
      if (!file) void queries.invalidateQueries({ queryKey: targetsQuery(designId).queryKey });
      return;
    }
    case "run": {
      const { run } = event;
      const { queryKey } = benchRunsQuery(run.designId);
      const known = queries.getQueryData(queryKey);
      if (!known?.some((each) => each.id === run.id)) void queries.invalidateQueries({ queryKey });
      else
        queries.setQueryData(
          queryKey,
          known.map((each) => (each.id === run.id ? run : each)),
        );
      if (!isLive(run)) void queries.invalidateQueries({ queryKey: ["kept", run.designId] });
      return;
    }
    case "trial":
      takeInTrial(queries, event.trial);
  }
}

function takeInTrial(queries: QueryClient, live: LiveTrial): void {
  const { designId } = live;
  let isKnown = false;
  const merged = (trial: Trial | null): Trial | null => {
    if (trial?.id !== live.id) return trial;
    isKnown = true;
    return isLive(trial) ? { ...trial, ...live, stages: [...live.stages] } : trial;
  };
  updateDesign(queries, designId, (old: Design) => ({ ...old, lastTrial: merged(old.lastTrial) }));
  queries.setQueryData(targetsQuery(designId).queryKey, (old: Target[] | undefined) =>
    old?.map((target) => ({ ...target, lastTrial: merged(target.lastTrial) })),
  );
  queries.setQueriesData<Trial[] | Trial | null>({ queryKey: trialsQuery(designId).queryKey }, (old) =>
    Array.isArray(old) ? old.map((each) => merged(each)!) : old && merged(old),
  );
  queries.setQueryData(designsQuery.queryKey, (old) =>
    old?.map((card) => (card.id === designId ? { ...card, lastTrial: merged(card.lastTrial) } : card)),
  );
  // begun elsewhere, or at its end: findings come with the whole
  if (isKnown && isLive(live)) return;
  void queries.invalidateQueries({ queryKey: designKey(designId) });
  void queries.invalidateQueries({ queryKey: designsQuery.queryKey, exact: true });
  void queries.invalidateQueries({ queryKey: targetsQuery(designId).queryKey });
  void queries.invalidateQueries({ queryKey: trialsQuery(designId).queryKey });
}
