import type { Finding } from "@gate-clock/core";
import { type FormEvent, useState } from "react";
import { Button } from "../ui/Button.tsx";
import { byRank, FindingRow } from "../ui/FindingList.tsx";
import { formatCount, formatWhen } from "../ui/format.ts";
import { type MarkedFinding, mayAccept } from "./accepted.ts";
import { useActs, useDesign } from "./context.ts";
import { useAccept, useFindings } from "./use-findings.ts";

/** Findings that are drawn at first, and with each wish for more: a rule file may have thousands. */
const shownAtOnce = 100;

/** The design's findings: those that are open, worst first; then those that somebody lets stand, with the reason. */
export function Findings({ findings }: { findings: readonly Finding[] }) {
  const { against } = useDesign();
  const { all } = useFindings(findings);
  const [shown, setShown] = useState(shownAtOnce);
  const open = all.filter(({ accepted }) => !accepted).sort((a, b) => byRank(a.finding, b.finding));
  const accepted = all.filter((each) => each.accepted);
  const fresh = open.filter(({ isNew }) => isNew).length;
  return (
    <>
      {against && open.length > 0 && (
        <p className="border-b border-line bg-cloth px-4 py-1 text-xs text-soft" data-testid="findings-new">
          {fresh === 0 ? `None is new since trial ${against.number}.` : `${fresh} new since trial ${against.number}.`}
        </p>
      )}
      <ul className="divide-y divide-line" data-testid="findings">
        {open.slice(0, shown).map((each) => (
          <OpenFinding key={each.identity} marked={each} />
        ))}
      </ul>
      {open.length > shown && (
        <Button
          look="quiet"
          className="my-1 ml-2 h-7 text-[13px]"
          onClick={() => setShown(shown + shownAtOnce)}
          data-testid="findings-more"
        >
          Show {Math.min(shownAtOnce, open.length - shown)} more of {formatCount(open.length)}
        </Button>
      )}
      {accepted.length > 0 && (
        <details className="border-t border-line" data-testid="findings-accepted">
          <summary className="cursor-pointer px-4 py-1.5 text-[13px] text-soft">{accepted.length} accepted</summary>
          <ul className="divide-y divide-line">
            {accepted.map((each) => (
              <AcceptedFinding key={each.identity} marked={each} />
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function OpenFinding({ marked: { finding, identity, isNew } }: { marked: MarkedFinding }) {
  const { showPlace, repair } = useActs();
  const [isAsking, setAsking] = useState(false);
  return (
    <FindingRow
      finding={finding}
      onPlace={showPlace}
      onRepair={repair}
      chip={isNew && <span className="mr-2 rounded bg-indigo-wash px-1.5 text-xs font-semibold text-indigo">new</span>}
      aside={
        mayAccept(finding) &&
        !isAsking && (
          <Button
            look="quiet"
            className="h-7 self-center px-2 text-xs"
            onClick={() => setAsking(true)}
            data-testid="accept"
          >
            Accept
          </Button>
        )
      }
      below={isAsking && <Reason identity={identity} finding={finding} onDone={() => setAsking(false)} />}
    />
  );
}

/** Why it may stand: without a reason nothing is accepted. */
function Reason({ identity, finding, onDone }: { identity: string; finding: Finding; onDone: () => void }) {
  const [reason, setReason] = useState("");
  const accept = useAccept();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (reason.trim()) accept.mutate({ identity, finding, reason: reason.trim() }, { onSuccess: onDone });
  };
  return (
    <form onSubmit={submit} className="mt-1.5 flex items-center gap-2">
      <input
        // biome-ignore lint/a11y/noAutofocus: it was asked for just now
        autoFocus
        className="h-7 min-w-0 flex-1 rounded-md border border-line bg-cloth px-2 text-[13px]"
        placeholder="Why it may stand"
        aria-label="Why it may stand"
        maxLength={500}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && onDone()}
        data-testid="accept-reason"
      />
      <Button type="submit" className="h-7" disabled={!reason.trim() || accept.isPending}>
        Accept
      </Button>
      <Button look="quiet" className="h-7" onClick={onDone}>
        Cancel
      </Button>
      {accept.error && <span className="text-[13px] text-bad">{accept.error.message}</span>}
    </form>
  );
}

function AcceptedFinding({ marked: { finding, identity, accepted } }: { marked: MarkedFinding }) {
  const { showPlace } = useActs();
  const accept = useAccept();
  return (
    <FindingRow
      finding={finding}
      onPlace={showPlace}
      below={
        <p className="text-[13px]">
          Accepted {formatWhen(accepted!.at)}: {accepted!.reason}
        </p>
      }
      aside={
        <Button
          look="quiet"
          className="h-7 self-center px-2 text-xs"
          disabled={accept.isPending}
          onClick={() => accept.mutate({ identity, finding, reason: null })}
          data-testid="take-back"
        >
          Take back
        </Button>
      }
    />
  );
}
