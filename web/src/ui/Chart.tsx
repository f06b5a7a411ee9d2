import { BarChart, LineChart } from "echarts/charts";
import { GridComponent, LegendComponent, TooltipComponent } from "echarts/components";
import { type EChartsCoreOption, init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useRef } from "react";
import { useMode } from "../state/mode";
import { colours, prefersStillness, textFont } from "../state/theme";
import { withUnit } from "./figures";
import { shadeOf } from "./shades";

use([BarChart, LineChart, GridComponent, LegendComponent, TooltipComponent, CanvasRenderer]);

/** Of a line with more points none is drawn but those that have a label. */
const MOST_POINTS = 60;

export type Series = { name: string; values: (number | null)[]; format: string | null };

const short = new Intl.NumberFormat("en-US", { notation: "compact", maximumFractionDigits: 1 });

type Props = {
  kind: "bar" | "line";
  keys: string[];
  series: Series[];
  title: string;
  /** Each bar in a colour of its own: its category is the colour. */
  coloured?: boolean;
  /** The column whose values have a colour each: those of the bars, or of the series. */
  by?: string;
  selected?: string[];
  onSelect?: (place: number) => void;
};

/** A bar or line chart of measures by one column; a mark can be selected. */
export function Chart({ kind, keys, series, title, coloured = false, by = "", selected = [], onSelect }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const { mode } = useMode();
  const select = useRef(onSelect);
  select.current = onSelect;
  const chosen = selected.join("\n");
  useEffect(() => {
    if (!host.current) return;
    const c = colours(mode);
    const palette = [c.moss, c.tarn, c.heather, c.gorse, c.rust, c.soft];
    const chart = init(host.current, undefined, { renderer: "canvas" });
    const marked = chosen === "" ? [] : chosen.split("\n");
    const category = {
      type: "category",
      data: keys,
      axisLine: { lineStyle: { color: c.line } },
      axisTick: { show: false },
      axisLabel: { color: c.soft, hideOverlap: true },
    };
    const value = {
      type: "value",
      splitNumber: 4,
      splitLine: { lineStyle: { color: c.line2 } },
      axisLabel: { hideOverlap: true, color: c.soft, formatter: (amount: number) => short.format(amount) },
    };
    const across = kind === "bar" && keys.length <= 14;
    const many = series.length > 1;
    const option: EChartsCoreOption = {
      color: palette,
      animation: !prefersStillness(),
      animationDuration: 250,
      textStyle: { fontFamily: textFont },
      grid: { left: 8, right: 16, top: many ? 30 : 10, bottom: 4, containLabel: true },
      legend: many ? { top: 0, left: 0, itemWidth: 12, itemHeight: 8, type: "scroll", textStyle: { color: c.ink } } : undefined,
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
        ...(many && by !== "" ? { itemStyle: { color: shadeOf(palette, by, item.name) } } : {}),
        data: item.values.map((amount, index) => ({
          value: amount,
          itemStyle: {
            opacity: marked.length > 0 && !marked.includes(keys[index] ?? "") ? 0.3 : 1,
            ...(coloured && !many ? { color: shadeOf(palette, by, keys[index] ?? "") } : {}),
            ...(many && by !== "" ? { color: shadeOf(palette, by, item.name) } : {}),
          },
        })),
        showSymbol: kind === "line" && select.current !== undefined,
        showAllSymbol: keys.length <= MOST_POINTS,
        symbolSize: 7,
        stack: kind === "bar" && many ? "all" : undefined,
        barMaxWidth: 22,
        connectNulls: false,
      })),
    };
    chart.setOption(option);
    // Anywhere in a category's band, its label with it: a bar of next to nothing can be selected like any other.
    chart.getZr().on("click", (event) => {
      const at = chart.convertFromPixel({ gridIndex: 0 }, [event.offsetX, event.offsetY]);
      const place = Math.round(at[across ? 1 : 0] ?? -1);
      if (place >= 0 && place < keys.length) select.current?.(place);
    });
    const watch = new ResizeObserver(() => chart.resize());
    watch.observe(host.current);
    return () => {
      watch.disconnect();
      chart.dispose();
    };
  }, [kind, keys, series, mode, coloured, by, chosen]);
  return <div ref={host} role="img" aria-label={title} className="full-tall least-tall-150 full" />;
}
