import { useLayoutEffect, useMemo, useRef, useState } from "react";
import type { Model, ModelShare } from "../../api/client";
import { count } from "../../ui/figures";
import { Scroll } from "../../ui/Scroll";
import { Share } from "../../ui/Share";
import { type Edge, edgesOf, type Restrictions, stripsOf } from "./strips";

type Point = { x: number; y: number };
type Box = { left: number; top: number; width: number; height: number };

const CLEAR = 6;
/** With more tables than this, only the relationships of the table chosen or pointed at are drawn, and those that carry a restriction. */
const MANY = 24;

/** A line from one point down to another that runs between the boxes on its way, never behind one. */
function between(from: Point, to: Point, boxes: Box[]): string {
  const passed = [
    ...new Set(boxes.filter((box) => box.top > from.y - 2 && box.top + box.height < to.y + 2).map((box) => Math.round(box.top))),
  ].sort((a, b) => a - b);
  let path = `M${from.x} ${from.y}`;
  let now = from;
  for (const top of passed) {
    const row = boxes.filter((box) => Math.round(box.top) === top);
    const bottom = Math.max(...row.map((box) => box.top + box.height));
    const wanted = now.x + ((to.x - now.x) * (top - now.y)) / Math.max(1, to.y - now.y);
    const blocking = (x: number) => row.some((box) => x > box.left - CLEAR && x < box.left + box.width + CLEAR);
    const gaps = [wanted, ...row.flatMap((box) => [box.left - CLEAR, box.left + box.width + CLEAR])].filter((x) => !blocking(x));
    const x = gaps.sort((a, b) => Math.abs(a - wanted) - Math.abs(b - wanted))[0] ?? wanted;
    const bend = Math.max(6, (top - now.y) / 2);
    path += ` C${now.x} ${now.y + bend} ${x} ${top - bend} ${x} ${top} L${x} ${bottom}`;
    now = { x, y: bottom };
  }
  const bend = Math.max(6, (to.y - now.y) / 2);
  return `${path} C${now.x} ${now.y + bend} ${to.x} ${to.y - bend} ${to.x} ${to.y}`;
}

type Line = { edge: Edge; path: string };

/** Lookups above, facts below; a restriction is drawn as hatch running down from where it is set. */
export function ModelMap({
  model,
  rows,
  chosenBy,
  share,
  restrictions,
  chosen,
  choose,
}: {
  model: Model;
  rows: Record<string, number>;
  /** By which attributes of whoever asks the source of a table is chosen. */
  chosenBy: Record<string, string[]>;
  share: ModelShare | null;
  restrictions: Restrictions;
  chosen: string | null;
  choose: (table: string) => void;
}) {
  const strips = useMemo(() => stripsOf(model), [model]);
  const edges = useMemo(() => edgesOf(model), [model]);
  const ground = useRef<HTMLDivElement>(null);
  const [lines, setLines] = useState<Line[]>([]);
  const [pointed, setPointed] = useState<string | null>(null);
  const [extent, setExtent] = useState({ width: 0, height: 0 });

  // biome-ignore lint/correctness/useExhaustiveDependencies: what is written in the boxes changes their height
  useLayoutEffect(() => {
    const host = ground.current;
    if (!host) return;
    const draw = () => {
      const origin = host.getBoundingClientRect();
      const places = new Map(
        [...host.querySelectorAll<HTMLElement>("[data-table]")].map((element) => {
          const box = element.getBoundingClientRect();
          return [
            element.dataset.table ?? "",
            { left: box.left - origin.left, top: box.top - origin.top, width: box.width, height: box.height },
          ] as const;
        }),
      );
      setExtent({ width: host.scrollWidth, height: host.scrollHeight });
      const boxes = [...places.values()];
      setLines(
        edges.flatMap((edge) => {
          const one = places.get(edge.one);
          const many = places.get(edge.many);
          if (!one || !many) return [];
          const beside = edges.filter((other) => other.one === edge.one);
          const below = edges.filter((other) => other.many === edge.many);
          const from = { x: one.left + (one.width * (beside.indexOf(edge) + 1)) / (beside.length + 1), y: one.top + one.height };
          const to = { x: many.left + (many.width * (below.indexOf(edge) + 1)) / (below.length + 1), y: many.top };
          return [{ edge, path: between(from, to, boxes) }];
        }),
      );
    };
    draw();
    const watch = new ResizeObserver(draw);
    watch.observe(host);
    return () => watch.disconnect();
  }, [edges, restrictions, share, chosen]);

  const many = (model.tables ?? []).length > MANY;
  const of = (edge: Edge, table: string | null) => table !== null && (edge.one === table || edge.many === table);
  const drawn = many ? lines.filter(({ edge }) => restrictions.along.has(edge.from) || of(edge, chosen) || of(edge, pointed)) : lines;
  return (
    <Scroll label="Map of the model" className="scroll map-scroll">
      <div className={`map ${many ? "many" : ""}`} ref={ground}>
        <svg aria-hidden="true" width={extent.width} height={extent.height}>
          <defs>
            <pattern id="running" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
              <line x1="0" y1="0" x2="0" y2="6" stroke="var(--hatch-strong)" strokeWidth="2.4" />
            </pattern>
          </defs>
          {drawn.map(({ edge, path }) => (
            <g key={edge.from} className={of(edge, chosen) ? "of-chosen" : ""}>
              {restrictions.along.has(edge.from) && <path d={path} fill="none" stroke="url(#running)" strokeWidth="9" />}
              <path d={path} fill="none" className="line" />
            </g>
          ))}
        </svg>
        {many && <p className="soft small many-hint">Point at a table, or choose it, to see its relationships.</p>}
        {strips.map((strip, index) => (
          <section key={`${strip.title}-${String(index)}`} className="strip" aria-label={strip.title}>
            <h2 className="as-h3">{strip.title}</h2>
            <div className="boxes">
              {strip.tables.map((name) => {
                const table = model.tables?.find((item) => item.name === name);
                const seen = share?.tables.find((item) => item.table === name);
                const absent = share !== null && (share.refused !== null || seen?.visible === null || seen?.visible === undefined);
                const setBy = restrictions.set.get(name);
                const open = restrictions.open.get(name);
                const quarantined = table?.quarantine || (table?.columns ?? []).some((column) => column.quarantine);
                return (
                  <button
                    type="button"
                    key={name}
                    data-table={name}
                    className={`table-box ${chosen === name ? "on" : ""} ${absent ? "absent" : ""} ${open ? "open" : ""} ${setBy ? "sets" : ""}`}
                    aria-pressed={chosen === name}
                    title={table?.label ? `${table.label} · ${name}` : name}
                    onClick={() => choose(name)}
                    onMouseEnter={() => setPointed(name)}
                    onMouseLeave={() => setPointed(null)}
                    onFocus={() => setPointed(name)}
                    onBlur={() => setPointed(null)}
                  >
                    <span className="cut name">
                      {name}
                      {table?.alias_of && <small className="soft"> alias of {table.alias_of}</small>}
                    </span>
                    {share === null ? (
                      <span className="small soft cut">
                        {name in rows
                          ? `${count(rows[name] ?? 0)} rows`
                          : chosenBy[name]
                            ? `by viewer.${chosenBy[name].join(", viewer.")}`
                            : "not available now"}
                        {table?.in_place && `, in ${table.in_place.source}`}
                      </span>
                    ) : absent ? (
                      <span className="small">absent</span>
                    ) : (
                      <span className="small map-shares">
                        <Share visible={seen?.visible ?? 0} rows={seen?.rows ?? 0} width={40} />
                      </span>
                    )}
                    {setBy && (
                      <span className="small cut restricts" title={setBy.join(", ")}>
                        restricted by {setBy.join(", ")}
                      </span>
                    )}
                    {open && (
                      <span className="small cut warn" title={`no sentence of ${open.join(", ")} reaches it`}>
                        not reached: {open.join(", ")}
                      </span>
                    )}
                    {quarantined && (
                      <span className="small cut careful">{table?.quarantine ? "in quarantine" : "columns in quarantine"}</span>
                    )}
                  </button>
                );
              })}
            </div>
          </section>
        ))}
      </div>
    </Scroll>
  );
}
