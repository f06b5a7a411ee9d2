import { useQuery } from "@tanstack/react-query";
import { Button, Select } from "antd";
import { lazy, Suspense, useState } from "react";
import { Link } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { useEdited } from "../../state/asking";
import { useModel, useWorkbench } from "../../state/workbench";
import { savedAs } from "../../ui/csv";
import { Figure } from "../../ui/Figure";
import { plural } from "../../ui/figures";
import { KeepPromise } from "../../ui/KeepPromise";
import { Notice } from "../../ui/Notice";
import type { Fall } from "../../ui/Waterfall";
import { PinSomebody } from "./PinSomebody";
import { promisedFigure } from "./promised";

const Waterfall = lazy(() => import("../../ui/Waterfall").then((module) => ({ default: module.Waterfall })));

/** How a figure comes about: from that of all data, or of another viewer, step by step, as a waterfall and as a table. */
export function BridgeTurn({ about, title }: { about: Schemas["BridgeQuestion"]; title: string }) {
  const bench = useWorkbench();
  const edited = useEdited();
  const model = useModel();
  const [start, setStart] = useState<string>("all");
  const pins = bench.pins.filter((pin) => !(typeof pin.viewer === "object" && "all_data" in pin.viewer));
  const focused = bench.pins[bench.focus - 1];
  const viewer = pins.find((pin) => pin === focused && pin.key !== start) ?? pins.find((pin) => pin.key !== start);
  const from = pins.find((pin) => pin.key === start);
  const found = useQuery({
    ...queries.bridge({ viewer: viewer?.viewer ?? "", start: from?.viewer ?? null, about, edited, state: bench.state, as_of: bench.day }),
    enabled: viewer !== undefined,
  });
  if (!viewer) return <PinSomebody />;
  const format = model.data?.document.measures?.find((item) => item.name === about.measure)?.format ?? null;
  const bridge = found.data;
  return (
    <div data-testid="bridge">
      <div className="row wrap small">
        <span className="soft">from</span>
        <Select
          size="small"
          aria-label="From"
          value={from ? start : "all"}
          onChange={setStart}
          className="least-130"
          options={[{ value: "all", label: "all data" }, ...pins.map((pin) => ({ value: pin.key, label: pin.title }))]}
        />
        <span className="soft">to</span>
        <Select
          size="small"
          aria-label="To"
          value={viewer.key}
          onChange={(key: string) => {
            if (key === start) setStart("all");
            bench.setFocus(bench.pins.findIndex((pin) => pin.key === key) + 1);
          }}
          className="least-130"
          options={pins.map((pin) => ({ value: pin.key, label: pin.title }))}
        />
      </div>
      {found.isError && <Notice kind="careful">{found.error.message}</Notice>}
      {found.isPending && <p className="soft above-6">Adding up…</p>}
      {bridge && <Drawn bridge={bridge} title={title} format={format} />}
      {bridge &&
        typeof viewer.viewer === "string" &&
        edited.length === 0 &&
        (bridge.last.figure === null || typeof bridge.last.figure === "number") && (
          <KeepPromise promise={promisedFigure(viewer.viewer, viewer.title, about, bridge.last.figure)} />
        )}
    </div>
  );
}

function Drawn({ bridge, title, format }: { bridge: Schemas["Bridge"]; title: string; format: string | null }) {
  const falls = fallsOf(bridge);
  return (
    <>
      {bridge.steps.length === 0 && <p className="ask-verdict">Nothing lies between the two figures: they are the same, row for row.</p>}
      {falls && bridge.steps.length > 0 && (
        <Suspense fallback={null}>
          <Waterfall falls={falls} title={`How ${title} adds up`} format={format} />
        </Suspense>
      )}
      <table className="data above-6" data-testid="bridge-steps">
        <thead>
          <tr>
            <th>step</th>
            <th className="number">rows</th>
            <th className="number">amount</th>
          </tr>
        </thead>
        <tbody>
          <End end={bridge.first} format={format} />
          {bridge.steps.map((step, index) => (
            <tr key={index}>
              <td className="told">
                <span className="soft">{index + 1}</span> {step.message}{" "}
                {step.role && (
                  <Link className="small" to={`/roles/${encodeURIComponent(step.role)}`}>
                    {typeof step.sentence === "number" ? `sentence ${step.sentence + 1}` : "the role"}
                  </Link>
                )}
              </td>
              <td className="number">{step.rows === 0 ? "" : signed(step.rows)}</td>
              <td className="number">
                {step.amount === null ? (
                  <Figure value={step.figure} format={format} />
                ) : (
                  <>
                    {step.amount > 0 && "+"}
                    <Figure value={step.amount} format={format} />
                  </>
                )}
                {step.figure === null && <div className="soft small">to nothing</div>}
              </td>
            </tr>
          ))}
          <End end={bridge.last} format={format} />
        </tbody>
      </table>
      <div className="row small above-6">
        <span className="soft grow">The first figure and all amounts add up to the last; a figure that is not there counts as 0.</span>
        <Button size="small" onClick={() => savedAs(`bridge ${title}`, ["step", "rows", "amount", "figure after"], lines(bridge))}>
          CSV
        </Button>
      </div>
    </>
  );
}

function End({ end, format }: { end: Schemas["BridgeEnd"]; format: string | null }) {
  return (
    <tr className="total">
      <td className="told">{end.viewer}</td>
      <td className="number soft">{plural(end.rows, "row")}</td>
      <td className="number">{end.figure === null ? "none" : <Figure value={end.figure} format={format} />}</td>
    </tr>
  );
}

function signed(rows: number): string {
  return `${rows > 0 ? "+" : "-"}${Math.abs(rows).toLocaleString("en-GB")}`;
}

/** The bars; null where the figures are not numbers. */
function fallsOf(bridge: Schemas["Bridge"]): Fall[] | null {
  const figures = [bridge.first.figure, ...bridge.steps.map((step) => step.figure), bridge.last.figure].map((figure) => figure ?? 0);
  if (figures.some((figure) => typeof figure !== "number")) return null;
  const numbers = figures as number[];
  const first = numbers[0] ?? 0;
  const last = numbers.at(-1) ?? 0;
  return [
    { name: bridge.first.viewer, from: 0, to: first, end: true },
    ...bridge.steps.map((_, index) => ({ name: String(index + 1), from: numbers[index] ?? 0, to: numbers[index + 1] ?? 0, end: false })),
    { name: bridge.last.viewer, from: 0, to: last, end: true },
  ];
}

function lines(bridge: Schemas["Bridge"]): (string | number | null)[][] {
  const figure = (value: unknown) => (typeof value === "number" ? value : value === null ? null : String(value));
  return [
    [bridge.first.viewer, bridge.first.rows, null, figure(bridge.first.figure)],
    ...bridge.steps.map((step) => [step.message, step.rows, step.amount, figure(step.figure)]),
    [bridge.last.viewer, bridge.last.rows, null, figure(bridge.last.figure)],
  ];
}
