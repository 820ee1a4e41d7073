import { findPart, type NetFacts } from "@gate-clock/core";
import { useQuery } from "@tanstack/react-query";
import type { ColumnDef } from "@tanstack/react-table";
import { useCallback, useMemo } from "react";
import { useSearchParams } from "react-router";
import { artifactQuery } from "../../app/queries.ts";
import { LoadingPanel, ProblemPanel } from "../../app/StatePages.tsx";
import { useFocus } from "../../focus/focus.ts";
import { DataTable } from "../../ui/DataTable.tsx";
import { formatCount } from "../../ui/format.ts";
import { Verdict } from "../../ui/Verdict.tsx";
import { useDesign } from "../../workbench/context.ts";
import { FigureChange } from "../../workbench/Differences.tsx";
import { NotBuilt } from "../../workbench/NotBuilt.tsx";
import { useObjectIndex } from "../../workbench/use-object-index.ts";
import { DieMapCanvas } from "./DieMapCanvas.tsx";
import { buildDieMap, type DieView } from "./die-map.ts";

const columns: ColumnDef<NetFacts>[] = [
  { accessorKey: "name", header: "Net", size: 176, meta: { isMono: true } },
  { accessorKey: "fanout", header: "Fan-out", size: 78, meta: { isNumber: true } },
  { accessorKey: "wires", header: "Wires", size: 70, meta: { isNumber: true } },
];

function parseView(text: string | null): DieView | null {
  const parts = text?.split(",").map(Number) ?? [];
  return parts.length === 3 && parts.every(Number.isFinite) ? { x: parts[0], y: parts[1], scale: parts[2] } : null;
}

export function LayoutStation() {
  const { trial } = useDesign();
  const [focus, setFocus] = useFocus();
  const [params, setParams] = useSearchParams();
  const netlist = useQuery(artifactQuery(trial, "synth"));
  const packed = useQuery(artifactQuery(trial, "pack"));
  const placed = useQuery(artifactQuery(trial, "place"));
  const routed = useQuery(artifactQuery(trial, "route"));
  const part = useMemo(() => (trial ? findPart(trial.part).part : null), [trial]);
  const map = useMemo(
    () =>
      part && netlist.data && packed.data && placed.data
        ? buildDieMap(part, netlist.data, packed.data, placed.data, routed.data ?? null)
        : null,
    [part, netlist.data, packed.data, placed.data, routed.data],
  );
  const index = useObjectIndex("object");
  const focusName = focus && focus.kind !== "line" ? focus.name : null;
  const focusNet = focusName === null ? -1 : (index?.netOf(focusName) ?? -1);
  const focusNets = useMemo(() => new Set(focusNet < 0 ? [] : [focusNet]), [focusNet]);
  const rows = useMemo(() => index?.list() ?? [], [index]);
  const onView = useCallback(
    (view: DieView) =>
      setParams(
        (old) => {
          const next = new URLSearchParams(old);
          next.set("view", `${view.x.toFixed(2)},${view.y.toFixed(2)},${view.scale.toFixed(1)}`);
          return next;
        },
        { replace: true },
      ),
    [setParams],
  );

  const error = netlist.error ?? packed.error ?? placed.error;
  if (error) return <ProblemPanel error={error} onRetry={() => void placed.refetch()} />;
  if (!map || !part || !netlist.data || !placed.data)
    return placed.isLoading ? <LoadingPanel what="the layout" /> : <NotBuilt what="The die map" trial={trial} />;
  const routeError = trial?.findings.find((finding) => finding.code.startsWith("route/"));
  const pick = (cell: number) => {
    if (cell < 0) setFocus(null);
    else {
      const net =
        netlist.data.outputNet[cell] >= 0
          ? netlist.data.outputNet[cell]
          : netlist.data.inputNet[netlist.data.inputStart[cell]];
      setFocus({ kind: "net", name: netlist.data.netName[net] });
    }
  };
  return (
    <div className="flex h-full flex-col">
      {routeError ? (
        <Verdict tone="bad">
          {routeError.message} {routeError.remedy}
        </Verdict>
      ) : (
        <Verdict
          tone="good"
          figure={formatCount(routed.data?.wiresUsed ?? 0)}
          unit="wires"
          change={<FigureChange figure="wires" />}
        >
          Every net is routed, in {routed.data?.iterations} {routed.data?.iterations === 1 ? "iteration" : "iterations"}
          . Half-perimeter wirelength {formatCount(placed.data.wirelength)} tiles on {part.die.name},{" "}
          {part.fabric.width} by {part.fabric.height}.
        </Verdict>
      )}
      <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_340px]">
        <DieMapCanvas
          map={map}
          focusNets={focusNets}
          startView={parseView(params.get("view"))}
          onView={onView}
          onPick={pick}
          label={`Die map of ${part.die.name} with ${map.elements.length} used elements and ${rows.length} nets`}
        />
        <aside className="flex min-h-0 flex-col border-l border-line bg-panel">
          <Legend />
          <div className="min-h-0 flex-1">
            <DataTable
              rows={rows}
              columns={columns}
              label="nets"
              rowId={(row) => row.name}
              selectedId={focusName}
              onSelect={(row) => setFocus({ kind: "net", name: row.name })}
            />
          </div>
        </aside>
      </div>
    </div>
  );
}

function Legend() {
  const items: [string, string, string][] = [
    ["LUT", "var(--indigo)", "rounded-none"],
    ["flip-flop", "var(--thread-b)", "rounded-none"],
    ["pad", "var(--thread-d)", "rounded-full"],
    ["wire", "var(--thread-c)", "h-0.5! rounded-none"],
    ["focus", "var(--lamp)", "h-1! rounded-none"],
  ];
  return (
    <ul className="flex shrink-0 flex-wrap gap-x-4 gap-y-1 border-b border-line px-4 py-2 text-xs text-soft">
      {items.map(([name, colour, shape]) => (
        <li key={name} className="flex items-center gap-1.5">
          <span className={`inline-block size-2.5 ${shape}`} style={{ background: colour }} />
          {name}
        </li>
      ))}
    </ul>
  );
}
