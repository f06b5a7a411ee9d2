import { BarChart, LineChart } from "echarts/charts";
import { GridComponent, TooltipComponent } from "echarts/components";
import { type EChartsCoreOption, init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";
import { useMode } from "../app/mode";
import { colours, textFont } from "../app/theme";
import { withUnit } from "./figures";

use([BarChart, LineChart, GridComponent, TooltipComponent, CanvasRenderer]);

export type Series = { name: string; values: (number | null)[]; format: string | null };

const short = new Intl.NumberFormat("en-US", { notation: "compact", maximumFractionDigits: 1 });

/** A bar or line chart of measures by one column. */
export function Chart({ kind, keys, series, title }: { kind: "bar" | "line"; keys: string[]; series: Series[]; title: string }) {
  const host = useRef<HTMLDivElement>(null);
  const { mode } = useMode();
  useEffect(() => {
    if (!host.current) return;
    const c = colours(mode);
    const palette = [c.moss, c.tarn, c.heather, c.gorse, c.rust];
    const chart = init(host.current, undefined, { renderer: "canvas" });
    const category = {
      type: "category",
      data: keys,
      axisLine: { lineStyle: { color: c.line } },
      axisTick: { show: false },
      axisLabel: { color: c.soft, hideOverlap: true },
    };
    const value = {
      type: "value",
      splitLine: { lineStyle: { color: c.line2 } },
      axisLabel: { color: c.soft, formatter: (amount: number) => short.format(amount) },
    };
    const across = kind === "bar" && keys.length <= 14;
    const option: EChartsCoreOption = {
      color: palette,
      animationDuration: 250,
      textStyle: { fontFamily: textFont },
      grid: { left: 8, right: 16, top: 10, bottom: 4, containLabel: true },
      tooltip: {
        trigger: "axis",
        backgroundColor: c.panel,
        borderColor: c.line,
        textStyle: { color: c.ink },
        valueFormatter: (amount: unknown) => withUnit(amount, series[0]?.format),
      },
      xAxis: across ? value : category,
      yAxis: across ? { ...category, inverse: true } : value,
      series: series.map((item) => ({
        type: kind,
        name: item.name,
        data: item.values,
        showSymbol: false,
        barMaxWidth: 22,
        connectNulls: false,
      })),
    };
    chart.setOption(option);
    const watch = new ResizeObserver(() => chart.resize());
    watch.observe(host.current);
    return () => {
      watch.disconnect();
      chart.dispose();
    };
  }, [kind, keys, series, mode]);
  return <div ref={host} role="img" aria-label={title} style={{ height: "100%", minHeight: 150, width: "100%" }} />;
}
