import { BarChart } from "echarts/charts";
import { GridComponent, TooltipComponent } from "echarts/components";
import { init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";
import { useMode } from "../state/mode";
import { colours, prefersStillness, textFont } from "../state/theme";
import { withUnit } from "./figures";
import "./waterfall.css";

use([BarChart, GridComponent, TooltipComponent, CanvasRenderer]);

/** A bar of the bridge: an end stands on the ground, a step goes from one figure to the next. */
export type Fall = { name: string; from: number; to: number; end: boolean };

const short = new Intl.NumberFormat("en-US", { notation: "compact", maximumFractionDigits: 1 });

/** A waterfall: the first figure, what each step takes or adds, the last figure; the same stands in the table beside it. */
export function Waterfall({ falls, title, format }: { falls: Fall[]; title: string; format: string | null }) {
  const host = useRef<HTMLDivElement>(null);
  const { mode } = useMode();
  const drawn = JSON.stringify(falls);
  useEffect(() => {
    if (!host.current) return;
    const bars = JSON.parse(drawn) as Fall[];
    const c = colours(mode);
    const chart = init(host.current, undefined, { renderer: "canvas" });
    const least = Math.min(0, ...bars.flatMap((bar) => [bar.from, bar.to]));
    chart.setOption({
      animation: !prefersStillness(),
      animationDuration: 250,
      textStyle: { fontFamily: textFont },
      grid: { left: 8, right: 12, top: 10, bottom: 4, containLabel: true },
      tooltip: {
        trigger: "item",
        backgroundColor: c.panel,
        borderColor: c.line,
        textStyle: { color: c.ink },
        formatter: (item: { dataIndex: number }) => {
          const bar = bars[item.dataIndex];
          return bar ? `${bar.name}: ${withUnit(bar.end ? bar.to : bar.to - bar.from, format)}` : "";
        },
      },
      xAxis: {
        type: "category",
        data: bars.map((bar) => bar.name),
        axisTick: { show: false },
        axisLine: { lineStyle: { color: c.line } },
        axisLabel: { color: c.soft, interval: 0, width: 64, overflow: "truncate" },
      },
      yAxis: {
        type: "value",
        min: least < 0 ? undefined : 0,
        splitNumber: 4,
        splitLine: { lineStyle: { color: c.line2 } },
        axisLabel: { color: c.soft, formatter: (amount: number) => short.format(amount) },
      },
      series: [
        {
          type: "bar",
          stack: "falls",
          silent: true,
          itemStyle: { color: "transparent" },
          data: bars.map((bar) => (Math.sign(bar.from) === Math.sign(bar.to) || bar.end ? lower(bar) : 0)),
        },
        {
          type: "bar",
          stack: "falls",
          barMaxWidth: 34,
          data: bars.map((bar) => ({
            value: height(bar),
            itemStyle: {
              color: bar.end ? c.tarn : bar.to < bar.from ? c.rust : c.moss,
              // Told by shape too: what is taken is drawn with a dashed edge.
              ...(bar.end || bar.to >= bar.from ? {} : { borderColor: c.ink, borderType: "dashed", borderWidth: 1 }),
            },
          })),
        },
      ],
    });
    const watch = new ResizeObserver(() => chart.resize());
    watch.observe(host.current);
    return () => {
      watch.disconnect();
      chart.dispose();
    };
  }, [drawn, mode, format]);
  return <div ref={host} role="img" aria-label={title} className="waterfall full" />;
}

/** What lies beneath a step: the figure nearer to nothing. */
function lower(bar: Fall): number {
  if (bar.end) return 0;
  return Math.abs(bar.from) < Math.abs(bar.to) ? bar.from : bar.to;
}

function height(bar: Fall): number {
  if (bar.end) return bar.to;
  const sign = Math.sign(bar.from) || Math.sign(bar.to);
  return Math.sign(bar.from) === Math.sign(bar.to) || bar.from === 0 || bar.to === 0 ? sign * Math.abs(bar.to - bar.from) : bar.to;
}
