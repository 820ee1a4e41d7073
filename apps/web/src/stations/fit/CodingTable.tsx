import { type CodingFigures, isVhdl, type RtlNetlist, type StateMachine } from "@gate-clock/core";
import { Button } from "../../ui/Button.tsx";
import { formatCount, formatMhz } from "../../ui/format.ts";
import { useDesign } from "../../workbench/context.ts";
import { useFitter } from "../../workbench/use-fitter.ts";
import { identityOf } from "../../workers/engine.ts";

/** What the whole design takes with each code for one state machine, and how to ask for it in the source. */
export function CodingTable({
  name,
  machine,
  netlist,
  file,
}: {
  name: string;
  machine: StateMachine;
  netlist: RtlNetlist;
  file: string;
}) {
  const { design } = useDesign();
  const { result, progress, problem, start, cancel } = useFitter<CodingFigures[]>(
    ["codings", identityOf(netlist), design.part, name],
    (fitter, tell) => fitter.codings(netlist, design.part, name, tell),
    false,
  );
  const own = machine.coding ?? "as written";
  const plain = name.split(".").at(-1);
  const line = (coding: string) =>
    isVhdl(file)
      ? `attribute states_as : string;\nattribute states_as of ${plain} : signal is "${coding}";`
      : `(* states_as = "${coding}" *) reg ... ${plain};`;
  const fewest = result && Math.min(...result.map(({ luts }) => luts));
  const fastest = result && Math.max(...result.map(({ fmaxMhz }) => fmaxMhz ?? 0));
  return (
    <div className="w-80 shrink-0 overflow-auto border-l border-line pl-4 text-[13px]">
      {!result ? (
        <>
          <p className="text-soft">
            Coded {own}. The whole design can be mapped with each code in turn, to see what it takes.
          </p>
          {progress ? (
            <div className="mt-2 flex items-center gap-2">
              <progress className="w-40" value={progress.fraction} aria-label="Encodings tried" />
              <Button className="h-7" onClick={cancel}>
                Cancel
              </Button>
            </div>
          ) : (
            <Button className="mt-2" onClick={start} data-testid="compare-codes">
              Compare encodings
            </Button>
          )}
          {problem && <p className="mt-2 text-bad">{problem}</p>}
        </>
      ) : (
        <>
          <table className="w-full" data-testid="codes">
            <thead className="text-xs text-soft">
              <tr className="text-right">
                <th className="py-1 text-left font-semibold">Encoding</th>
                <th className="px-1 font-semibold">LUTs</th>
                <th className="px-1 font-semibold">Registers</th>
                <th className="px-1 font-semibold">Levels</th>
                <th className="pl-1 font-semibold" title="Estimated before layout">
                  fmax MHz
                </th>
              </tr>
            </thead>
            <tbody>
              {result.map(({ coding, luts, registers, levels, fmaxMhz }) => (
                <tr
                  key={coding}
                  className={`tabular border-t border-line/60 text-right ${coding === own ? "font-semibold" : ""}`}
                  title={line(coding)}
                >
                  <td className="py-1 text-left">
                    {coding}
                    {coding === own && <span className="font-normal text-soft"> now</span>}
                  </td>
                  <td className={luts === fewest ? "px-1 text-good" : "px-1"}>
                    {luts === fewest && <span title="Fewest">✓ </span>}
                    {formatCount(luts)}
                  </td>
                  <td className="px-1">{formatCount(registers)}</td>
                  <td className="px-1">{levels}</td>
                  <td className={(fmaxMhz ?? 0) === fastest ? "pl-1 text-good" : "pl-1"}>
                    {(fmaxMhz ?? 0) === fastest && <span title="Fastest">✓ </span>}
                    {formatMhz(fmaxMhz)}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mt-2 text-xs text-soft">To choose one, write in the source, for instance:</p>
          <code className="mt-1 block overflow-x-auto font-mono text-xs whitespace-pre select-all">
            {line(own === "one-hot" ? "binary" : "one-hot")}
          </code>
        </>
      )}
    </div>
  );
}
