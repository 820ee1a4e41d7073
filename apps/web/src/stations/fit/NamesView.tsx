import type { NameFate, StageArtifacts } from "@gate-clock/core";
import type { ColumnDef } from "@tanstack/react-table";
import { useMemo } from "react";
import { DataTable } from "../../ui/DataTable.tsx";

const text = (fate: NameFate) => (fate.net ? `${fate.became} ${fate.net}` : fate.became);
const columns: ColumnDef<NameFate>[] = [
  { accessorKey: "name", header: "Name in the source", size: 360, meta: { isMono: true } },
  { id: "became", accessorFn: text, header: "What became of it", size: 360 },
];

/** Every name that has no cell of its own any more, and what became of it. */
export function NamesView({ netlist }: { netlist: StageArtifacts["synth"] }) {
  const counts = useMemo(() => {
    const map = new Map<string, number>();
    for (const fate of netlist.fates) map.set(fate.became, (map.get(fate.became) ?? 0) + 1);
    return [...map].sort((a, b) => b[1] - a[1]);
  }, [netlist]);
  return (
    <div className="flex h-full min-h-0 flex-col bg-panel">
      <p className="shrink-0 border-b border-line px-5 py-2.5 text-[13px]">
        {netlist.fates.length === 0
          ? "Every name of the source has a cell of its own."
          : `${netlist.fates.length} names have no cell of their own: ${counts.map(([what, count]) => `${count} ${what}${what === "another name of" ? " something" : ""}`).join(", ")}.`}
      </p>
      <div className="min-h-0 flex-1">
        <DataTable rows={netlist.fates} columns={columns} label="names" rowId={(row) => row.name} />
      </div>
    </div>
  );
}
