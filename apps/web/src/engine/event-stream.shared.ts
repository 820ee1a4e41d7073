import type { ServerEvent } from "@gate-clock/contract";

/** One stream of events for all tabs of a browser: connections to one server are few, and tabs many. */
const scope = globalThis as unknown as { onconnect: ((event: MessageEvent) => void) | null };
const ports = new Set<MessagePort>();
let source: EventSource | null = null;
let hasBeenOpen = false;

function tell(event: ServerEvent): void {
  for (const port of ports) port.postMessage(event);
}

function open(): void {
  source = new EventSource("/api/events");
  source.onopen = () => {
    // whatever happened while there was no stream
    if (hasBeenOpen) tell({ kind: "again" });
    hasBeenOpen = true;
  };
  source.onmessage = ({ data }) => tell(JSON.parse(data as string) as ServerEvent);
  source.onerror = () => {
    if (source?.readyState !== EventSource.CLOSED) return; // the browser tries again by itself
    source = null;
    setTimeout(() => {
      if (ports.size && !source) open();
    }, 2000);
  };
}

scope.onconnect = ({ ports: [port] }) => {
  ports.add(port);
  port.onmessage = () => {
    // the tab goes
    ports.delete(port);
    if (ports.size) return;
    source?.close();
    source = null;
  };
  port.start();
  if (!source) open();
};
