/** Numbers as people read them: ns to 3 places, MHz and percent to 1. */
export const formatNs = (ps: number | null | undefined): string =>
  ps === null || ps === undefined ? "–" : (ps / 1000).toFixed(3);
export const formatMhz = (mhz: number | null | undefined): string =>
  mhz === null || mhz === undefined ? "–" : mhz.toFixed(1);
export const formatPercent = (value: number): string => value.toFixed(1);

export function formatCount(value: number): string {
  return value.toLocaleString("en");
}

export function formatBytes(bytes: number): string {
  return bytes < 1024
    ? `${bytes} B`
    : bytes < 1024 ** 2
      ? `${(bytes / 1024).toFixed(1)} KiB`
      : `${(bytes / 1024 ** 2).toFixed(1)} MiB`;
}

export function formatDuration(ms: number | null): string {
  if (ms === null) return "";
  return ms < 1000
    ? `${Math.round(ms)} ms`
    : ms < 60_000
      ? `${(ms / 1000).toFixed(1)} s`
      : `${Math.floor(ms / 60_000)} min ${Math.round((ms % 60_000) / 1000)} s`;
}

export function formatWhen(iso: string): string {
  const date = new Date(iso);
  const isToday = date.toDateString() === new Date().toDateString();
  const time = date.toLocaleTimeString("en", { hour: "2-digit", minute: "2-digit", hour12: false });
  return isToday ? `today ${time}` : `${date.toLocaleDateString("en", { day: "numeric", month: "short" })} ${time}`;
}
