import type { Claim } from "@gate-clock/core";
import { Link2, Link2Off } from "lucide-react";
import { useState } from "react";
import { Button } from "../../ui/Button.tsx";
import type { PortClaims } from "./claims-view.ts";

const portText = ({ port }: Pick<Claim, "port">) => {
  const { name, bits } = port;
  return bits.length === 1 && bits[0].name === name ? name : `${name}[${bits[bits.length - 1].index}:${bits[0].index}]`;
};
const signalText = ({ bus, from, port }: Claim) => {
  const last = from + port.bits.length - 1;
  if (bus.signals.length === 1) return bus.name;
  return port.bits.length === bus.signals.length
    ? bus.name
    : `${bus.name}[${last === from ? from : `${last}:${from}`}]`;
};

/** Ports of the design beside the signals of its board: what is tied, and what each of the others may be tied to. */
export function ClaimPanel({
  board,
  claims,
  onClaim,
  onRelease,
}: {
  board: string;
  claims: PortClaims;
  onClaim: (claims: readonly Claim[]) => void;
  onRelease: (claims: readonly Claim[]) => void;
}) {
  const { tied, sure, open } = claims;
  const [isShown, setIsShown] = useState<boolean | null>(null);
  if (tied.length + open.length === 0) return null;
  // once all is claimed it makes room for the table
  const showsPorts = isShown ?? open.length > 0;
  return (
    <section
      className="max-h-[40%] shrink-0 overflow-auto border-b border-line px-4 py-2 text-[13px]"
      data-testid="claims"
    >
      <div className="flex items-center gap-3">
        <h2 className="min-w-0 flex-1 truncate font-semibold">
          Signals of {board}
          <span className="ml-2 font-normal text-soft">
            {tied.length} of {tied.length + open.length} ports claimed
          </span>
        </h2>
        <Button
          look="quiet"
          className="h-7 px-2 text-xs"
          aria-expanded={showsPorts}
          onClick={() => setIsShown(!showsPorts)}
        >
          {showsPorts ? "Fold" : "Show"}
        </Button>
        {tied.length > 0 && (
          <Button look="quiet" className="h-7 px-2 text-xs" onClick={() => onRelease(tied)}>
            Release all
          </Button>
        )}
        {sure.length > 0 && (
          <Button className="h-7 px-2 text-xs" onClick={() => onClaim(sure)}>
            Claim all that match ({sure.length})
          </Button>
        )}
      </div>
      <ul className="mt-1 divide-y divide-line/60" hidden={!showsPorts}>
        {open.map((each) => (
          <OpenPort key={each.port.name} {...each} onClaim={(claim) => onClaim([claim])} />
        ))}
        {tied.map((claim) => (
          <li key={claim.port.name} className="flex items-center gap-2 py-0.5" data-testid={`claim-${claim.port.name}`}>
            <Link2 className="size-3.5 shrink-0 text-good" aria-hidden />
            <span className="w-36 truncate font-mono text-xs" title={portText(claim)}>
              {portText(claim)}
            </span>
            <span className="w-36 truncate font-mono text-xs">{signalText(claim)}</span>
            <span className="min-w-0 flex-1 truncate text-soft">claimed</span>
            <button
              type="button"
              className="rounded px-2 py-0.5 text-soft hover:bg-raised hover:text-ink"
              onClick={() => onRelease([claim])}
            >
              Release
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** A port without pins: what it may be tied to, to choose from. */
function OpenPort({
  port,
  choices,
  onClaim,
}: PortClaims["open"][number] & { readonly onClaim: (claim: Claim) => void }) {
  const [chosen, setChosen] = useState("");
  const claim = choices.find(({ bus }) => bus.name === chosen) ?? choices[0];
  return (
    <li className="flex items-center gap-2 py-0.5" data-testid={`claim-${port.name}`}>
      <Link2Off className="size-3.5 shrink-0 text-soft" aria-hidden />
      <span className="w-36 truncate font-mono text-xs" title={portText({ port })}>
        {portText({ port })}
      </span>
      {claim ? (
        <>
          <select
            className="w-36 truncate rounded border border-line bg-panel px-1 py-0.5 font-mono text-xs"
            aria-label={`Signal for ${port.name}`}
            value={claim.bus.name}
            onChange={(event) => setChosen(event.target.value)}
          >
            {choices.map((each) => (
              <option key={each.bus.name} value={each.bus.name}>
                {signalText(each)}
              </option>
            ))}
          </select>
          <span className="min-w-0 flex-1 truncate text-soft">{claim.why}</span>
          <button
            type="button"
            className="rounded px-2 py-0.5 text-indigo hover:bg-raised"
            onClick={() => onClaim(claim)}
          >
            Claim
          </button>
        </>
      ) : (
        <span className="min-w-0 flex-1 truncate text-soft">no free signal of the board goes with it</span>
      )}
    </li>
  );
}
