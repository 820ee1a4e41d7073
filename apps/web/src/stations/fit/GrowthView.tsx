import type { Trial } from "@gate-clock/contract";
import { useQuery } from "@tanstack/react-query";
import type { ColumnDef } from "@tanstack/react-table";
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import { artifactQuery, trialsQuery } from "../../app/queries.ts";
import { DataTable } from "../../ui/DataTable.tsx";
import { formatWhen } from "../../ui/format.ts";
import { useDesign } from "../../workbench/context.ts";
import { moduleRows } from "./module-rows.ts";
import type { ModuleRow } from "./UseView.tsx";

interface Growth {
  readonly path: string;
  readonly module: string;
  readonly luts: number;
  readonly registers: number;
  readonly memories: number;
  readonly multipliers: number;
  readonly lutsNow: number;
  readonly lutsThen: number;
}
const signed = (value: number) => (value > 0 ? `+${value}` : value < 0 ? `−${-value}` : "0");
const difference = (header: string, key: keyof Growth, size: number): ColumnDef<Growth> => ({
  accessorKey: key,
  header,
  size,
  meta: { isNumber: true },
  cell: ({ getValue }) => {
    const value = getValue<number>();
    return <span className={value === 0 ? "text-soft" : "font-semibold"}>{signed(value)}</span>;
  },
});
const columns: ColumnDef<Growth>[] = [
  { accessorKey: "path", header: "Instance", size: 240, meta: { isMono: true } },
  { accessorKey: "module", header: "Module", size: 180, meta: { isMono: true } },
  difference("LUTs", "luts", 80),
  difference("Registers", "registers", 96),
  difference("Memories", "memories", 90),
  difference("Multipliers", "multipliers", 96),
  { accessorKey: "lutsThen", header: "LUTs then", size: 90, meta: { isNumber: true } },
  { accessorKey: "lutsNow", header: "LUTs now", size: 90, meta: { isNumber: true } },
];

/** Difference by module against an earlier trial. */
export function GrowthView({ modules }: { modules: readonly ModuleRow[] }) {
  const { trial, design } = useDesign();
  const [params, setParams] = useSearchParams();
  const trials = useQuery(trialsQuery(design.id));
  const others = useMemo(
    () => (trials.data ?? []).filter((each) => each.id !== trial?.id && each.figures.luts !== null),
    [trials.data, trial?.id],
  );
  const wanted = Number(params.get("against"));
  const against: Trial | null = others.find((each) => each.number === wanted) ?? others[0] ?? null;
  const netlist = useQuery(artifactQuery(against, "synth"));
  const elaborated = useQuery(artifactQuery(against, "elaborate"));
  const rows = useMemo((): Growth[] | null => {
    if (!netlist.data || !elaborated.data) return null;
    const before = new Map(moduleRows(netlist.data, elaborated.data, design.name).map((row) => [row.path, row]));
    const paths = [...new Set([...modules.map((row) => row.path), ...before.keys()])];
    return paths
      .map((path): Growth => {
        const now = modules.find((row) => row.path === path);
        const then = before.get(path);
        const change = (key: "luts" | "registers" | "memories" | "multipliers") =>
          (now?.[key] ?? 0) - (then?.[key] ?? 0);
        return {
          path,
          module: now?.module ?? `${then?.module} (gone)`,
          luts: change("luts"),
          registers: change("registers"),
          memories: change("memories"),
          multipliers: change("multipliers"),
          lutsNow: now?.luts ?? 0,
          lutsThen: then?.luts ?? 0,
        };
      })
      .sort((a, b) => Math.abs(b.luts) - Math.abs(a.luts) || Math.abs(b.registers) - Math.abs(a.registers));
  }, [netlist.data, elaborated.data, modules, design.name]);
  if (!against)
    return (
      <p className="p-6 text-soft">
        There is only one build to look at yet. Change something and build again: this page then shows where the design
        grew.
      </p>
    );
  const grown = rows?.find((row) => row.path !== rows.find((each) => each.path === design.name)?.path && row.luts > 0);
  return (
    <div className="flex h-full min-h-0 flex-col bg-panel">
      <div className="flex shrink-0 items-center gap-3 border-b border-line px-5 py-2.5 text-[13px]">
        <p className="min-w-0 flex-1" data-testid="growth">
          {rows
            ? rows.every((row) => row.luts === 0 && row.registers === 0)
              ? "Nothing has grown or shrunk."
              : grown
                ? `Most LUTs came with ${grown.path}: ${signed(grown.luts)}.`
                : "No module below the top needs more LUTs than then."
            : netlist.error || elaborated.error
              ? "That trial's results are of another version of Gate Clock."
              : "Loading that trial …"}
        </p>
        <label className="flex items-center gap-2 text-soft">
          against
          <select
            className="h-7 rounded-md border border-line bg-cloth px-1 text-ink"
            value={against.number}
            onChange={(event) =>
              setParams((old) => {
                const next = new URLSearchParams(old);
                next.set("against", event.target.value);
                return next;
              })
            }
          >
            {others.map((each) => (
              <option key={each.id} value={each.number}>
                trial {each.number}, {each.part}, {formatWhen(each.createdAt)}
              </option>
            ))}
          </select>
        </label>
      </div>
      <div className="min-h-0 flex-1">
        {rows && <DataTable rows={rows} columns={columns} label="differences" rowId={(row) => row.path} />}
      </div>
    </div>
  );
}
