import type { InferredItem, StageArtifacts } from "@gate-clock/core";
import type { ColumnDef } from "@tanstack/react-table";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { DataTable } from "../../ui/DataTable.tsx";
import { useActs } from "../../workbench/context.ts";
import { CodingTable } from "./CodingTable.tsx";
import { StateDiagram } from "./StateDiagram.tsx";

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

const noLabels: Readonly<Record<string, string>> = {};

/** Structures that synthesis recognised, and what it made of each; a state machine as a diagram. */
export function MadeOfView({
  netlist,
  elaborated,
}: {
  netlist: StageArtifacts["synth"];
  elaborated: StageArtifacts["elaborate"];
}) {
  const { showPlace } = useActs();
  const [params, setParams] = useSearchParams();
  const rows = useMemo(() => netlist.inferred.map((item, i): Row => ({ ...item, id: `${i} ${item.name}` })), [netlist]);
  if (rows.length === 0)
    return (
      <p className="p-6 text-soft">
        No memories, multipliers, state machines or shift registers were found. {netlist.chains.length} carry chains
        carry its sums and comparisons.
      </p>
    );
  const chosen = rows.find((row) => row.id === params.get("item")) ?? rows.find((row) => row.machine) ?? null;
  const place = chosen && elaborated.positions.cells[chosen.origin];
  const labels = (chosen && elaborated.positions.labels[chosen.name]) ?? noLabels;
  const reached = new Set(chosen?.machine?.states);
  const lost = chosen?.machine
    ? Object.keys(labels).flatMap((code) => (reached.has(Number(code)) ? [] : labels[code]))
    : [];
  return (
    <div className="grid h-full min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[minmax(140px,1fr)_minmax(150px,20rem)] bg-panel">
      <div className="min-h-0">
        <DataTable
          rows={rows}
          columns={columns}
          label="structures"
          rowId={(row) => row.id}
          selectedId={chosen?.id}
          onSelect={(row) =>
            setParams((old) => {
              const next = new URLSearchParams(old);
              next.set("item", row.id);
              return next;
            })
          }
        />
      </div>
      <section className="flex min-h-0 flex-col border-t border-line bg-cloth px-5 py-3">
        {chosen ? (
          <>
            <p className="mb-2 shrink-0 text-[13px]">
              <span className="font-mono text-xs font-semibold">{chosen.name}</span>: {chosen.kind}, {chosen.shape}
              {chosen.reason && `; ${chosen.reason}`}.{" "}
              {place && (
                <button
                  type="button"
                  className="font-mono text-xs text-indigo underline"
                  onClick={() => showPlace(place)}
                >
                  {place.file}:{place.line}
                </button>
              )}
              {lost.length > 0 && (
                <span className="text-warn" data-testid="lost-states">
                  {" "}
                  Nothing leads to {lost.slice(0, 12).join(", ")}
                  {lost.length > 12 && ` and ${lost.length - 12} more`}.
                </span>
              )}
            </p>
            {chosen.machine && (
              <div className="flex min-h-0 flex-1 gap-4">
                <div className="flex min-w-0 flex-1 items-center justify-center">
                  <StateDiagram name={chosen.name} machine={chosen.machine} labels={labels} />
                </div>
                <CodingTable
                  key={chosen.id}
                  name={chosen.name}
                  machine={chosen.machine}
                  netlist={elaborated.netlist}
                  file={place?.file ?? ""}
                />
              </div>
            )}
          </>
        ) : (
          <p className="text-soft">Choose one to see where it is written, and a state machine as a diagram.</p>
        )}
      </section>
    </div>
  );
}
