import { findPart, type HierarchyNode, type ModuleUse, utilization, utilizationByModule } from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import type { ColumnDef } from "@tanstack/react-table";
import { useMemo } from "react";
import { artifactQuery } from "../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../app/StatePages.tsx";
import { useDesign } from "../design/context.ts";
import { NotBuilt } from "../design/NotBuilt.tsx";
import { DataTable } from "../ui/DataTable.tsx";
import { FindingList } from "../ui/FindingList.tsx";
import { formatCount, formatPercent } from "../ui/format.ts";
import { Verdict } from "../ui/Verdict.tsx";

interface ModuleRow extends ModuleUse {
  readonly module: string;
}
const columns: ColumnDef<ModuleRow>[] = [
  { accessorKey: "path", header: "Instance", size: 220, meta: { isMono: true } },
  { accessorKey: "module", header: "Module", size: 180, meta: { isMono: true } },
  { accessorKey: "luts", header: "LUTs", size: 80, meta: { isNumber: true } },
  { accessorKey: "ownLuts", header: "own", size: 70, meta: { isNumber: true } },
  { accessorKey: "registers", header: "Registers", size: 96, meta: { isNumber: true } },
  { accessorKey: "ownRegisters", header: "own", size: 70, meta: { isNumber: true } },
];

export function FitStation() {
  const { trial, design, showPlace, repair } = useDesign();
  const netlist = useQuery(artifactQuery(trial, "synth"));
  const packed = useQuery(artifactQuery(trial, "pack"));
  const elaborated = useQuery(artifactQuery(trial, "elaborate"));
  const part = useMemo(() => (trial ? findPart(trial.part).part : null), [trial]);
  const uses = useMemo(
    () => (netlist.data && part ? utilization(netlist.data, packed.data ?? null, part) : []),
    [netlist.data, packed.data, part],
  );
  const modules = useMemo(() => {
    if (!netlist.data || !elaborated.data) return [];
    const known = new Map<string, string>();
    const walk = (node: HierarchyNode, path: string) => {
      for (const child of node.children) {
        const own = path ? `${path}.${child.instance}` : child.instance;
        known.set(own, child.module);
        walk(child, own);
      }
    };
    walk(elaborated.data.hierarchy, "");
    return utilizationByModule(
      netlist.data,
      [...known.keys()],
      elaborated.data.netlist.cells.map((cell) => cell.name),
    ).map(
      (row): ModuleRow => ({
        ...row,
        path: row.path || design.name,
        module: row.path ? known.get(row.path)! : elaborated.data.netlist.top,
      }),
    );
  }, [netlist.data, elaborated.data, design.name]);

  if (netlist.error) return <ProblemPanel error={netlist.error} onRetry={() => void netlist.refetch()} />;
  if (trial?.status === "failed" && !trial.findings.some((finding) => finding.code.startsWith("fit/")) && !netlist.data)
    return <NotBuilt what="What the design uses" trial={trial} />;
  if (!netlist.data || !part)
    return netlist.isLoading ? (
      <LoadingPanel what="the figures" />
    ) : (
      <NotBuilt what="What the design uses" trial={trial} />
    );
  const tooBig = trial?.findings.find((finding) => finding.code === "fit/too-big");
  const fullest = [...uses].sort((a, b) => b.used / b.available - a.used / a.available)[0];
  const share = (100 * fullest.used) / fullest.available;
  const fates = netlist.data.fates.filter(
    (fate) => fate.became !== "folded into logic" && fate.became !== "another name of",
  );
  return (
    <div className="flex h-full flex-col">
      {tooBig ? (
        <Verdict tone="bad" figure={`${formatPercent(share)} %`}>
          {tooBig.message} {tooBig.remedy}
        </Verdict>
      ) : (
        <Verdict
          tone={share > 85 ? "warn" : "good"}
          figure={`${formatPercent((100 * uses[0].used) / uses[0].available)} %`}
          unit="of LUTs"
        >
          Fits {trial!.part}. What would run out first is {fullest.kind}: {formatCount(fullest.used)} of{" "}
          {formatCount(fullest.available)}, {formatPercent(share)} %.
        </Verdict>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(360px,5fr)_7fr]">
        <section className="min-h-0 overflow-auto border-r border-line bg-panel p-5">
          <h2 className="mb-3 font-semibold">Used and available</h2>
          <table className="w-full text-[13px]" data-testid="utilization">
            <thead>
              <tr className="border-b border-line text-left text-soft">
                <th className="py-1 font-semibold">Kind</th>
                <th className="w-2/5" />
                <th className="text-right font-semibold">Used</th>
                <th className="text-right font-semibold">Available</th>
                <th className="text-right font-semibold">%</th>
              </tr>
            </thead>
            <tbody>
              {uses.map((use) => {
                const percent = (100 * use.used) / Math.max(1, use.available);
                return (
                  <tr key={use.kind} className="border-b border-line/60">
                    <td className="py-2 whitespace-nowrap">{use.kind}</td>
                    <td className="px-3">
                      <div className="h-2 overflow-hidden rounded-full bg-raised">
                        <div
                          className={`h-full ${percent > 100 ? "bg-bad" : percent > 85 ? "bg-warn" : "bg-indigo"}`}
                          style={{ width: `${Math.min(100, percent)}%` }}
                        />
                      </div>
                    </td>
                    <td className="tabular text-right">{formatCount(use.used)}</td>
                    <td className="tabular text-right">{formatCount(use.available)}</td>
                    <td className="tabular text-right">{formatPercent(percent)}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          <dl className="mt-5 grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-[13px]">
            <dt className="text-soft">LUT levels on the longest path</dt>
            <dd className="tabular text-right">{netlist.data.levels}</dd>
            <dt className="text-soft">Names that vanished</dt>
            <dd className="tabular text-right">{formatCount(fates.length)}</dd>
          </dl>
          {fates.length > 0 && (
            <details className="mt-3 text-[13px]">
              <summary className="cursor-pointer text-soft">What became of them</summary>
              <ul className="mt-1 max-h-60 overflow-auto">
                {fates.slice(0, 500).map((fate) => (
                  <li key={fate.name} className="flex justify-between gap-3 py-0.5">
                    <span className="truncate font-mono text-xs">{fate.name}</span>
                    <span className="text-soft">{fate.became}</span>
                  </li>
                ))}
              </ul>
            </details>
          )}
          {trial!.findings.length > 0 && (
            <div className="-mx-5 mt-5 border-t border-line">
              <FindingList findings={trial!.findings} onPlace={showPlace} onRepair={repair} />
            </div>
          )}
        </section>
        <section className="min-h-0 bg-panel">
          <DataTable rows={modules} columns={columns} label="modules" rowId={(row) => row.path} />
        </section>
      </div>
    </div>
  );
}
