import { useCallback, useEffect, useRef, useState } from "react";

const shownMs = 2000;
const refused = "The browser does not let this page copy: allow it for this address, then try again.";

/** Copies texts. Says for a moment that it did; that it could not, until the next try. */
export function useCopy(): {
  readonly isCopied: boolean;
  readonly problem: string | null;
  /** @returns False if the browser refused. */
  copy(text: string): Promise<boolean>;
} {
  const [state, setState] = useState<"copied" | "refused" | null>(null);
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined);
  useEffect(() => () => clearTimeout(timer.current), []);
  const copy = useCallback(async (text: string) => {
    clearTimeout(timer.current);
    try {
      await navigator.clipboard.writeText(text);
    } catch {
      setState("refused");
      return false;
    }
    setState("copied");
    timer.current = setTimeout(() => setState(null), shownMs);
    return true;
  }, []);
  return { isCopied: state === "copied", problem: state === "refused" ? refused : null, copy };
}
