/** Tabs of one browser tell each other which designs they have saved to. */
const channel = typeof BroadcastChannel === "undefined" ? null : new BroadcastChannel("gate-clock-designs");

export const tellOtherTabs = (designId: string): void => channel?.postMessage(designId);

/** @returns A function that ends listening. */
export function listenToOtherTabs(designId: string, heard: () => void): () => void {
  const onMessage = (event: MessageEvent) => {
    if (event.data === designId) heard();
  };
  channel?.addEventListener("message", onMessage);
  return () => channel?.removeEventListener("message", onMessage);
}
