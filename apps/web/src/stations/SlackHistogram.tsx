import { BarChart } from "echarts/charts";
import { GridComponent, MarkLineComponent, TooltipComponent } from "echarts/components";
import { init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";

use([BarChart, GridComponent, TooltipComponent, MarkLineComponent, CanvasRenderer]);
const binCount = 24;

/** How many endpoints have how much setup slack, slow-hot. */
export function SlackHistogram({ slacksPs }: { slacksPs: Float32Array }) {
  const host = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const element = host.current;
    if (!element || slacksPs.length === 0) return;
    const chart = init(element);
    const draw = () => {
      const style = getComputedStyle(document.documentElement);
      const colour = (name: string) => style.getPropertyValue(name).trim();
      const least = Math.min(0, ...slacksPs);
      const most = Math.max(...slacksPs, least + 1);
      const step = (most - least) / binCount;
      const counts = new Array<number>(binCount).fill(0);
      for (const slack of slacksPs) counts[Math.min(binCount - 1, Math.floor((slack - least) / step))]++;
      chart.setOption({
        animation: false,
        grid: { left: 40, right: 16, top: 18, bottom: 34 },
        tooltip: {
          trigger: "axis",
          formatter: (items: { dataIndex: number; value: number }[]) => {
            const [{ dataIndex, value }] = items;
            return `${((least + dataIndex * step) / 1000).toFixed(3)} to ${((least + (dataIndex + 1) * step) / 1000).toFixed(3)} ns: ${value}`;
          },
        },
        xAxis: {
          type: "category",
          data: counts.map((_, i) => ((least + i * step) / 1000).toFixed(1)),
          name: "slack ns",
          nameLocation: "middle",
          nameGap: 20,
          nameTextStyle: { color: colour("--soft") },
          axisLabel: { color: colour("--soft"), interval: 5 },
          axisLine: { lineStyle: { color: colour("--line") } },
        },
        yAxis: {
          type: "value",
          name: "endpoints",
          nameTextStyle: { color: colour("--soft"), align: "left" },
          nameGap: 6,
          axisLabel: { color: colour("--soft") },
          splitNumber: 2,
          splitLine: { lineStyle: { color: colour("--line") } },
        },
        series: [
          {
            type: "bar",
            data: counts.map((value, i) => ({
              value,
              itemStyle: { color: colour(least + (i + 1) * step <= 0 || least + i * step < 0 ? "--bad" : "--indigo") },
            })),
            barCategoryGap: "12%",
          },
        ],
      });
    };
    draw();
    const resize = new ResizeObserver(() => chart.resize());
    resize.observe(element);
    addEventListener("gate-clock-theme", draw);
    return () => {
      removeEventListener("gate-clock-theme", draw);
      resize.disconnect();
      chart.dispose();
    };
  }, [slacksPs]);
  if (slacksPs.length === 0)
    return <p className="self-center p-4 text-[13px] text-soft">No endpoint is constrained.</p>;
  return (
    <div
      ref={host}
      className="h-32 min-w-0"
      role="img"
      aria-label={`Histogram of the setup slack of ${slacksPs.length} endpoints`}
    />
  );
}
