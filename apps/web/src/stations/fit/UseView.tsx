import type { ModuleUse, ResourceUse } from "@gate-clock/core";
import type { ColumnDef } from "@tanstack/react-table";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { DataTable } from "../../ui/DataTable.tsx";
import { formatCount, formatPercent } from "../../ui/format.ts";
import { ModuleMap } from "./ModuleMap.tsx";

export interface ModuleRow extends ModuleUse {
  readonly module: string;
}
const columns: ColumnDef<ModuleRow>[] = [
  { accessorKey: "path", header: "Instance", size: 190, meta: { isMono: true } },
  { accessorKey: "module", header: "Module", size: 150, meta: { isMono: true } },
  { accessorKey: "luts", header: "LUTs", size: 70, meta: { isNumber: true } },
  { accessorKey: "ownLuts", header: "own", size: 62, meta: { isNumber: true } },
  { accessorKey: "registers", header: "Registers", size: 88, meta: { isNumber: true } },
  { accessorKey: "ownRegisters", header: "own", size: 62, meta: { isNumber: true } },
  { accessorKey: "carry", header: "Carry", size: 66, meta: { isNumber: true } },
  { accessorKey: "memories", header: "Mem", size: 60, meta: { isNumber: true } },
  { accessorKey: "multipliers", header: "Mult", size: 60, meta: { isNumber: true } },
];

/** Used and available by kind, and by module as a map and a table. */
export function UseView({
  uses,
  modules,
  estimate,
  levels,
}: {
  uses: readonly ResourceUse[];
  modules: readonly ModuleRow[];
  /** Logic tiles as estimated before packing. */
  estimate: number;
  levels: number;
}) {
  const [params, setParams] = useSearchParams();
  const chosen = params.get("instance");
  const choose = (path: string | null) =>
    setParams((old) => {
      const next = new URLSearchParams(old);
      if (path) next.set("instance", path);
      else next.delete("instance");
      return next;
    });
  const exact = uses.find((use) => use.kind === "logic tiles");
  const shown = useMemo(() => uses.filter((use) => use.available > 0 || use.used > 0), [uses]);
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(340px,2fr)_3fr]">
      <section className="min-h-0 overflow-auto border-r border-line bg-panel p-5">
        <table className="w-full text-[13px]" data-testid="utilization">
          <thead>
            <tr className="border-b border-line text-left text-soft">
              <th className="py-1 font-semibold">Kind</th>
              <th className="w-1/4" />
              <th className="pl-3 text-right font-semibold">Used</th>
              <th className="pl-3 text-right font-semibold">Available</th>
              <th className="pl-3 text-right font-semibold">%</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((use) => {
              const percent = (100 * use.used) / Math.max(1, use.available);
              return (
                <tr key={use.kind} className="border-b border-line/60">
                  <td className="py-2 whitespace-nowrap">{use.kind[0].toUpperCase() + use.kind.slice(1)}</td>
                  <td className="px-3">
                    <div className="h-2 overflow-hidden rounded-full bg-raised">
                      <div
                        className={`h-full ${percent > 100 ? "bg-bad" : percent > 85 ? "bg-warn" : "bg-indigo"}`}
                        style={{ width: `${Math.min(100, percent)}%` }}
                      />
                    </div>
                  </td>
                  <td className="tabular pl-3 text-right">{formatCount(use.used)}</td>
                  <td className="tabular pl-3 text-right">{formatCount(use.available)}</td>
                  <td className="tabular pl-3 text-right">{use.available ? formatPercent(percent) : "–"}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <dl className="mt-5 grid grid-cols-[1fr_auto] gap-x-4 gap-y-1 text-[13px]">
          <dt className="text-soft">Levels on the longest path</dt>
          <dd className="tabular text-right">{levels}</dd>
          <dt className="text-soft">Logic tiles, estimated after synthesis</dt>
          <dd className="tabular text-right">{formatCount(estimate)}</dd>
          <dt className="text-soft">Logic tiles, counted after packing</dt>
          <dd className="tabular text-right">
            {exact
              ? `${formatCount(exact.used)} (${exact.used >= estimate ? "+" : "−"}${Math.abs(exact.used - estimate)})`
              : "not packed yet"}
          </dd>
        </dl>
      </section>
      <section className="grid min-h-0 grid-rows-[minmax(140px,2fr)_3fr] bg-panel">
        <ModuleMap modules={modules} chosen={chosen} onChoose={choose} />
        <div className="min-h-0 border-t border-line">
          <DataTable
            rows={modules}
            columns={columns}
            label="modules"
            rowId={(row) => row.path}
            selectedId={chosen}
            onSelect={(row) => choose(row.path)}
          />
        </div>
      </section>
    </div>
  );
}
