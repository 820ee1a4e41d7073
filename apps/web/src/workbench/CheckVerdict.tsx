import { type ReactNode, useEffect, useState } from "react";
import { Button } from "../ui/Button.tsx";
import { Verdict } from "../ui/Verdict.tsx";
import { useCheckResult } from "./context.ts";

/** So long an earlier verdict stays in sight, faint, while the next one is worked out: most come sooner. */
const faintMs = 400;

/** A verdict that rests on the check of the texts: shown as the present one only if it is of these very texts. */
export function CheckVerdict({ waiting, children }: { waiting: string; children: ReactNode }) {
  const { check, checkState, tryCheckAgain } = useCheckResult();
  const isWaiting = checkState.kind === "checking";
  const [isSlow, setSlow] = useState(false);
  useEffect(() => {
    if (!isWaiting) {
      setSlow(false);
      return;
    }
    const timer = setTimeout(() => setSlow(true), faintMs);
    return () => clearTimeout(timer);
  }, [isWaiting]);
  if (checkState.kind === "unfinished")
    return (
      <Verdict tone="warn" aside={<Button onClick={tryCheckAgain}>Check again</Button>}>
        The check of this text {checkState.reason}
        {checkState.step && <> while {checkState.step}</>}. It goes on with your next change
        {check && <>; what is listed here is of an earlier text</>}.
      </Verdict>
    );
  if (!check || (isWaiting && isSlow)) return <Verdict tone="open">{waiting}</Verdict>;
  return (
    <div className={isWaiting ? "opacity-40" : undefined} aria-busy={isWaiting} data-testid="check-verdict">
      {children}
    </div>
  );
}
