import { BarChart } from "echarts/charts";
import { GridComponent, MarkLineComponent, TooltipComponent } from "echarts/components";
import { init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";

use([BarChart, GridComponent, TooltipComponent, MarkLineComponent, CanvasRenderer]);
/** Bins at most. */
const mostBins = 24;

const shortNs = (ps: number) => String(Number((ps / 1000).toFixed(3)));

/** Counts in bins of a round width (1, 2 or 5 times a power of ten ps), from 0 or the least slack on. */
function binned(slacksPs: Float32Array): { least: number; step: number; counts: number[] } {
  let from = 0;
  let to = 1;
  for (const slack of slacksPs) {
    if (slack < from) from = slack;
    if (slack > to) to = slack;
  }
  let power = 1;
  while (10 * power * mostBins < to - from) power *= 10;
  const step = power * ([1, 2, 5, 10].find((each) => each * power * (mostBins - 2) >= to - from) ?? 10);
  const first = Math.floor(from / step);
  const counts = new Array<number>(Math.floor(to / step) - first + 1).fill(0);
  for (const slack of slacksPs) counts[Math.floor(slack / step) - first]++;
  return { least: first * step, step, counts };
}

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
      const { least, step, counts } = binned(slacksPs);
      chart.setOption({
        animation: false,
        grid: { left: 40, right: 16, top: 18, bottom: 34 },
        tooltip: {
          trigger: "axis",
          formatter: (items: { dataIndex: number; value: number }[]) => {
            const [{ dataIndex, value }] = items;
            return `${shortNs(least + dataIndex * step)} to ${shortNs(least + (dataIndex + 1) * step)} ns: ${value}`;
          },
        },
        xAxis: {
          type: "category",
          data: counts.map((_, i) => shortNs(least + i * step)),
          name: "slack ns",
          nameLocation: "middle",
          nameGap: 20,
          nameTextStyle: { color: colour("--soft") },
          // a label at round numbers, whatever the first bin is
          axisLabel: {
            color: colour("--soft"),
            interval: (index: number) => Math.round(least / step + index) % 5 === 0,
          },
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
