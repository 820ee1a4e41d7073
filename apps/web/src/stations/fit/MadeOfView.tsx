import type { InferredItem, StageArtifacts } from "@gate-clock/core";
import type { ColumnDef } from "@tanstack/react-table";
import { useMemo } from "react";
import { useDesign } from "../../design/context.ts";
import { DataTable } from "../../ui/DataTable.tsx";

interface Row extends InferredItem {
  readonly id: string;
}
const columns: ColumnDef<Row>[] = [
  { accessorKey: "kind", header: "Found", size: 120 },
  { accessorKey: "name", header: "Name", size: 220, meta: { isMono: true } },
  { accessorKey: "shape", header: "Shape", size: 240 },
  { accessorKey: "becomes", header: "Became", size: 140 },
  { accessorKey: "count", header: "Blocks", size: 70, meta: { isNumber: true } },
  { accessorKey: "reason", header: "Why, and how", size: 420 },
];

/** Structures that synthesis recognised, and what it made of each. */
export function MadeOfView({
  netlist,
  elaborated,
}: {
  netlist: StageArtifacts["synth"];
  elaborated: StageArtifacts["elaborate"];
}) {
  const { showPlace } = useDesign();
  const rows = useMemo(() => netlist.inferred.map((item, i): Row => ({ ...item, id: `${i} ${item.name}` })), [netlist]);
  if (rows.length === 0)
    return (
      <p className="p-6 text-soft">
        No memories, multipliers, state machines or shift registers were found. {netlist.chains.length} carry chains
        carry its sums and comparisons.
      </p>
    );
  return (
    <div className="h-full bg-panel">
      <DataTable
        rows={rows}
        columns={columns}
        label="structures"
        rowId={(row) => row.id}
        onSelect={(row) => {
          const place = elaborated.positions.cells[row.origin];
          if (place) showPlace(place);
        }}
      />
    </div>
  );
}
