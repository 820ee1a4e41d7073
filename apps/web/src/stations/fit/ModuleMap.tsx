import { TreemapChart } from "echarts/charts";
import { TooltipComponent } from "echarts/components";
import { type ECharts, init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";
import { formatCount } from "../../ui/format.ts";
import type { ModuleRow } from "./UseView.tsx";

use([TreemapChart, TooltipComponent, CanvasRenderer]);

interface Node {
  name: string;
  path: string;
  value: number;
  children?: Node[];
  itemStyle?: { color: string };
}

/** Modules as areas by their LUTs and registers; a click goes into one, the trail above leads back. */
export function ModuleMap({
  modules,
  chosen,
  onChoose,
}: {
  modules: readonly ModuleRow[];
  chosen: string | null;
  onChoose: (path: string | null) => void;
}) {
  const host = useRef<HTMLDivElement>(null);
  const choose = useRef(onChoose);
  choose.current = onChoose;
  useEffect(() => {
    const element = host.current;
    if (!element || modules.length === 0) return;
    const chart: ECharts = init(element);
    const draw = () => {
      const style = getComputedStyle(document.documentElement);
      const colour = (name: string) => style.getPropertyValue(name).trim();
      const top = modules[0];
      const byPath = new Map(modules.map((row) => [row.path, row]));
      const childrenOf = (path: string) =>
        modules.slice(1).filter((row) => {
          for (let dot = row.path.lastIndexOf("."); dot > 0; dot = row.path.lastIndexOf(".", dot - 1))
            if (byPath.has(row.path.slice(0, dot))) return row.path.slice(0, dot) === path;
          return path === top.path;
        });
      const size = (row: ModuleRow) => row.luts + row.registers + 20 * (row.memories + row.multipliers);
      const shades = ["--thread-a", "--thread-c", "--thread-b", "--thread-d"].map(colour);
      const node = (row: ModuleRow, depth: number): Node => {
        const inner = childrenOf(row.path).filter((each) => size(each) > 0);
        const own = row.ownLuts + row.ownRegisters;
        const children: Node[] = inner.map((each, i) => ({
          ...node(each, depth + 1),
          ...(depth === 0 ? { itemStyle: { color: shades[i % shades.length] } } : {}),
        }));
        const name = row.path.slice(row.path.lastIndexOf(".") + 1);
        if (children.length && own > 0) children.push({ name: `${name} itself`, path: row.path, value: own });
        return { name, path: row.path, value: size(row), ...(children.length ? { children } : {}) };
      };
      chart.setOption({
        animation: false,
        tooltip: {
          formatter: (info: { data: Node }) => {
            const row = byPath.get(info.data.path);
            if (!row) return "";
            return `<b>${escapeText(row.path)}</b><br>${escapeText(row.module)}<br>${formatCount(row.luts)} LUTs, ${formatCount(row.registers)} registers`;
          },
        },
        series: [
          {
            type: "treemap",
            name: top.path,
            roam: false,
            nodeClick: "zoomToNode",
            left: 8,
            right: 8,
            top: 6,
            bottom: 30,
            leafDepth: 2,
            breadcrumb: {
              bottom: 4,
              height: 20,
              itemStyle: { color: colour("--raised"), textStyle: { color: colour("--ink") } },
            },
            label: {
              formatter: "{b}",
              fontFamily: "Spline Sans Mono Variable",
              fontSize: 11,
              color: colour("--indigo-ink"),
            },
            upperLabel: {
              show: true,
              height: 18,
              color: colour("--indigo-ink"),
              fontFamily: "Spline Sans Mono Variable",
              fontSize: 11,
            },
            itemStyle: { borderColor: colour("--panel"), borderWidth: 1, gapWidth: 2 },
            levels: [
              { itemStyle: { gapWidth: 3 }, upperLabel: { show: false } },
              { itemStyle: { borderColor: colour("--thread-a"), gapWidth: 2, borderWidth: 2 } },
            ],
            data: [{ ...node(top, 0), itemStyle: { color: shades[0] } }],
          },
        ],
      });
    };
    draw();
    chart.on("click", (event: { data?: unknown }) => choose.current((event.data as Node | undefined)?.path ?? null));
    const resize = new ResizeObserver(() => chart.resize());
    resize.observe(element);
    const theme = new MutationObserver(draw);
    theme.observe(document.documentElement, { attributeFilter: ["data-theme"] });
    return () => {
      resize.disconnect();
      theme.disconnect();
      chart.dispose();
    };
  }, [modules]);
  const row = modules.find((each) => each.path === chosen);
  return (
    <div className="flex min-h-0 flex-col">
      <p className="shrink-0 px-4 pt-2 text-[13px] text-soft" data-testid="module-chosen">
        {row
          ? `${row.path}: ${formatCount(row.luts)} LUTs, ${formatCount(row.registers)} registers`
          : "Area by LUTs and registers. Click a module to go into it."}
      </p>
      <div
        ref={host}
        className="min-h-0 flex-1"
        role="img"
        aria-label={`Modules by size: ${modules
          .slice(0, 8)
          .map((each) => `${each.path} ${each.luts} LUTs`)
          .join(", ")}`}
      />
    </div>
  );
}

function escapeText(text: string): string {
  return text.replace(/[&<>"]/g, (char) => `&#${char.charCodeAt(0)};`);
}
