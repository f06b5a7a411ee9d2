import { TreemapChart } from "echarts/charts";
import { TooltipComponent } from "echarts/components";
import { init, use } from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useMemo, useRef } from "react";
import { useMode } from "../state/mode";
import { colours, prefersStillness, textFont } from "../state/theme";
import type { Series } from "./Chart";
import { plural, withUnit } from "./figures";
import { shadeOf } from "./shades";

use([TreemapChart, TooltipComponent, CanvasRenderer]);

type Props = {
  keys: string[];
  series: Series[];
  title: string;
  /** A column has the colours: its values are the boxes, or the boxes that hold them. */
  coloured: boolean;
  by?: string;
  selected?: string[];
  onSelect?: (place: number) => void;
};

type Box = { name: string; value: number; place?: number; children?: Box[]; itemStyle?: object };

/** The parts of a whole as areas, the largest first, each with its name and figure; a box can be selected. What is below nothing has no area, and is counted beneath. */
export function Treemap({ keys, series, title, coloured, by = "", selected = [], onSelect }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const { mode } = useMode();
  const select = useRef(onSelect);
  select.current = onSelect;
  const chosen = selected.join("\n");
  const held = coloured && series.length > 1;
  // Without a column that holds them, the boxes are of the first measure.
  const drawn = useMemo(() => (held ? series : series.slice(0, 1)), [held, series]);
  const without = drawn.reduce((sum, item) => sum + item.values.filter((value) => value !== null && value < 0).length, 0);
  useEffect(() => {
    if (!host.current) return;
    const c = colours(mode);
    const palette: object[] = [
      { color: c["moss-soft"], borderColor: c.moss },
      { color: c["tarn-soft"], borderColor: c.tarn },
      { color: c["heather-soft"], borderColor: c.heather },
      { color: c["gorse-soft"], borderColor: c["gorse-line"] },
      { color: c["rust-soft"], borderColor: c.rust },
      { color: c.tray, borderColor: c.dash },
    ];
    const marked = chosen === "" ? [] : chosen.split("\n");
    const boxes = (of: Series, shade: (key: string) => object): Box[] =>
      of.values.flatMap((value, place) => {
        const name = keys[place] ?? "";
        const opacity = marked.length > 0 && !marked.includes(name) ? 0.35 : 1;
        return value !== null && value > 0 ? [{ name, value, place, itemStyle: { ...shade(name), opacity } }] : [];
      });
    const data = drawn.flatMap((item): Box[] => {
      if (!held) return boxes(item, (key) => (coloured ? shadeOf(palette, by, key) : (palette[0] ?? {})));
      const shade = shadeOf(palette, by, item.name);
      const children = boxes(item, () => shade);
      return [{ name: item.name, value: children.reduce((sum, box) => sum + box.value, 0), children, itemStyle: shade }];
    });
    const format = drawn[0]?.format;
    const chart = init(host.current, undefined, { renderer: "canvas" });
    chart.setOption({
      animation: !prefersStillness(),
      animationDurationUpdate: 250,
      textStyle: { fontFamily: textFont },
      tooltip: {
        backgroundColor: c.panel,
        borderColor: c.line,
        textStyle: { color: c.ink },
        formatter: (box: { value: unknown; treePathInfo?: { name: string }[] }) => {
          const path = (box.treePathInfo ?? []).slice(1).map((step) => escaped(step.name));
          return `${path.join(" · ")}<br>${escaped(withUnit(box.value, format))}`;
        },
      },
      series: [
        {
          type: "treemap",
          name: title,
          left: 0,
          right: 0,
          top: 0,
          bottom: 0,
          roam: false,
          nodeClick: false,
          breadcrumb: { show: false },
          sort: "desc",
          data,
          label: {
            color: c.ink,
            lineHeight: 16,
            overflow: "truncate",
            formatter: (box: { name: string; value: unknown }) => `${box.name}\n${withUnit(box.value, format)}`,
          },
          upperLabel: { show: held, height: 22, color: c.ink, fontWeight: 700 },
          itemStyle: { borderWidth: 1, gapWidth: 2 },
          levels: held ? [{ itemStyle: { gapWidth: 4, borderWidth: 0 } }, { itemStyle: { gapWidth: 2, borderWidth: 1 } }] : undefined,
        },
      ],
    });
    chart.on("click", (event) => {
      const place = (event.data as Box | undefined)?.place;
      if (typeof place === "number") select.current?.(place);
    });
    const watch = new ResizeObserver(() => chart.resize());
    watch.observe(host.current);
    return () => {
      watch.disconnect();
      chart.dispose();
    };
  }, [keys, drawn, held, mode, coloured, by, chosen, title]);
  return (
    <>
      <div ref={host} role="img" aria-label={title} className="full-tall least-tall-150 full" />
      {without > 0 && (
        <p className="soft small">{plural(without, "value is", "values are")} below nothing, and has no area: see it as a table.</p>
      )}
    </>
  );
}

function escaped(text: string): string {
  return text.replace(/[&<>"]/g, (letter) => `&#${letter.charCodeAt(0)};`);
}
