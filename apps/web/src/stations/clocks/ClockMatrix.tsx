import type { ClockPair } from "@gate-clock/core";
import { formatCount, formatNs } from "../../ui/format.ts";

const words: Readonly<Record<ClockPair["state"], string>> = {
  same: "same clock",
  related: "related",
  cut: "cut by rule",
  undecided: "undecided",
  undeclared: "no rule",
};
const looks: Readonly<Record<ClockPair["state"], string>> = {
  same: "bg-raised",
  related: "bg-raised",
  cut: "border border-dashed border-line text-soft",
  undecided: "border-2 border-warn text-warn font-semibold",
  undeclared: "border border-warn text-warn",
};

/**
 * Paths between clocks: those that launch down the side, those that capture across.
 * @param slacks The same pairs with the worst slack of each, where it is known.
 */
export function ClockMatrix({
  pairs,
  slacks,
  isEstimate,
}: {
  pairs: readonly ClockPair[];
  slacks: readonly ClockPair[] | undefined;
  isEstimate: boolean;
}) {
  const names = [...new Set(pairs.flatMap(({ launch, capture }) => [launch, capture]))];
  const worst = (launch: string, capture: string) =>
    slacks?.find((pair) => pair.launch === launch && pair.capture === capture)?.worstSlackPs ?? null;
  return (
    <div className="overflow-x-auto">
      <table className="text-[13px]" data-testid="clock-matrix">
        <thead>
          <tr className="text-left text-soft">
            <th className="pr-3 font-semibold">from \ to</th>
            {names.map((name) => (
              <th key={name} className="max-w-36 truncate px-1 pb-1 font-mono text-xs font-normal" title={name}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {names.map((launch) => (
            <tr key={launch}>
              <th className="max-w-36 truncate pr-3 text-left font-mono text-xs font-normal" title={launch}>
                {launch}
              </th>
              {names.map((capture) => {
                const pair = pairs.find((each) => each.launch === launch && each.capture === capture);
                if (!pair)
                  return (
                    <td key={capture} className="px-1 py-0.5 text-center text-soft">
                      ·
                    </td>
                  );
                const slack = worst(launch, capture);
                return (
                  <td key={capture} className="px-1 py-0.5">
                    <div className={`rounded px-2 py-1 text-xs leading-tight ${looks[pair.state]}`}>
                      <div>{words[pair.state]}</div>
                      <div className="tabular">
                        {formatCount(pair.ends)} {pair.ends === 1 ? "end" : "ends"}
                        {slack !== null && (
                          <span className={slack < 0 ? "font-semibold text-bad" : ""}>
                            , {isEstimate ? `about ${(slack / 1000).toFixed(1)}` : formatNs(slack)} ns
                          </span>
                        )}
                      </div>
                    </div>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
