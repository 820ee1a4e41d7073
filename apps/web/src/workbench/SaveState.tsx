import { CloudOff } from "lucide-react";
import { useEffect, useState } from "react";
import type { Drafts } from "./drafts.ts";

const clock = new Intl.DateTimeFormat(undefined, { hour: "2-digit", minute: "2-digit", second: "2-digit" });

/** Whether all that was typed is on the server; if not, since when, and when it is tried again. */
export function SaveState({ drafts }: { drafts: Drafts }) {
  const { outage, unsaved } = drafts;
  const [, tick] = useState(0);
  useEffect(() => {
    if (!outage) return;
    const timer = setInterval(() => tick((old) => old + 1), 1000);
    return () => clearInterval(timer);
  }, [outage]);
  if (!outage || unsaved.size === 0)
    return (
      <span className="text-xs text-soft" data-testid="save-state">
        {unsaved.size ? "saving…" : "saved"}
      </span>
    );
  const seconds = Math.max(0, Math.ceil((outage.nextAt - Date.now()) / 1000));
  return (
    <span
      className="flex items-center gap-1.5 rounded border border-warn px-2 py-0.5 text-xs text-warn"
      data-testid="save-state"
      role="status"
      title={`${outage.reason} What you typed is kept in this browser meanwhile.`}
    >
      <CloudOff className="size-3.5" aria-hidden />
      not saved since {clock.format(outage.since)} · {seconds ? `next try in ${seconds} s` : "trying again"}
      <button type="button" className="underline" onClick={() => void drafts.flush()}>
        now
      </button>
    </span>
  );
}
