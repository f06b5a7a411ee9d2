import { useQuery } from "@tanstack/react-query";
import { App, AutoComplete, Button, Input, Modal, Popconfirm } from "antd";
import { useEffect, useMemo, useState } from "react";
import { api, data, type Model, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { ConfirmImpact } from "../../ui/ConfirmImpact";
import { plural } from "../../ui/figures";
import { Empty, Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { useDelayed } from "../../ui/useDelayed";
import { dayOf } from "../../ui/when";
import { type Line, type LineEdits, NO_EDITS, pastedLines, replaced, typedValue, type Values } from "./lines";

type Lines = Schemas["LinesAnswer"];

let keys = 0;
const HEIGHT = 200;

/** A table kept here as a grid: people and values are picked, mistakes pointed out as they are typed, every change dated. */
export default function LinesView({ model, table, close }: { model: Model; table: string; close: () => void }) {
  const path = { model: model.name, table };
  const asked = useQuery(queries.lines(path));
  if (asked.isError) {
    return (
      <div className="pad">
        <Notice kind="bad">{asked.error.message}</Notice>
        <Button onClick={close}>Back to the table</Button>
      </div>
    );
  }
  if (!asked.data) return <div className="pad soft">Opening…</div>;
  return <Grid key={asked.data.version} path={path} lines={asked.data} close={close} />;
}

function Grid({ path, lines, close }: { path: { model: string; table: string }; lines: Lines; close: () => void }) {
  const columns = (lines.table.columns ?? []).filter((column) => !column.expression && !column.mapping);
  const changed = useChanged();
  const { message } = App.useApp();
  const [edits, setEdits] = useState<LineEdits>(NO_EDITS);
  const [past, setPast] = useState<LineEdits[]>([]);
  const [search, setSearch] = useState("");
  const [onlyFaults, setOnlyFaults] = useState(false);
  const [pasting, setPasting] = useState(false);
  const [history, setHistory] = useState(false);
  const [reason, setReason] = useState("");
  const [confirming, setConfirming] = useState(false);
  const put = (next: LineEdits) => {
    setPast([...past, edits].slice(-100));
    setEdits(next);
  };
  const undo = () => {
    const back = past.at(-1);
    if (back) {
      setEdits(back);
      setPast(past.slice(0, -1));
    }
  };
  const dirty = Object.keys(edits.changed).length + edits.added.length + edits.ended.length;
  useEffect(() => {
    const leave = (event: BeforeUnloadEvent) => {
      if (dirty > 0) event.preventDefault();
    };
    window.addEventListener("beforeunload", leave);
    return () => window.removeEventListener("beforeunload", leave);
  }, [dirty]);
  const typed = useMemo(() => [...Object.values(edits.changed), ...edits.added.map((item) => item.values)], [edits]);
  const settled = useDelayed(typed, 200);
  const check = useQuery({ ...queries.linesChecked(path, { lines: settled }), enabled: settled.length > 0 });
  const changedIds = Object.keys(edits.changed).map(Number);
  const faultsOf = (line: Line): Schemas["Fault"][] => {
    const place = changedIds.indexOf(line.id);
    return place >= 0 ? (check.data?.faults[place] ?? []) : line.faults;
  };
  const addedFaults = (place: number) => check.data?.faults[changedIds.length + place] ?? [];
  const faulty = lines.lines.filter((line) => line.faults.length > 0).length;
  const wanted = search.trim().toLowerCase();
  const shown = lines.lines.filter(
    (line) =>
      (!onlyFaults || faultsOf(line).length > 0) &&
      (wanted === "" ||
        Object.values(line.values).some((value) =>
          String(value ?? "")
            .toLowerCase()
            .includes(wanted),
        )),
  );
  const set = (line: Line, name: string, value: Values[string]) => {
    const values = { ...(line.values as Values), ...edits.changed[line.id], [name]: value };
    const same = columns.every((column) => (values[column.name] ?? null) === ((line.values as Values)[column.name] ?? null));
    const changed = { ...edits.changed, [line.id]: values };
    if (same) delete changed[line.id];
    put({ ...edits, changed });
  };
  const add = (made: Values[]) => put({ ...edits, added: [...edits.added, ...made.map((values) => ({ key: ++keys, values }))] });
  const stop = async () => {
    try {
      await data(api.DELETE("/api/models/{model}/tables/{table}/kept", { params: { path } }));
      await changed("data");
      close();
    } catch (error) {
      message.error((error as Error).message);
    }
  };
  const send = (onlyTry: boolean) =>
    data(
      api.POST("/api/models/{model}/tables/{table}/lines", {
        params: { path, query: { try: onlyTry } },
        body: {
          version: lines.version,
          reason,
          add: edits.added.map((item) => ({ values: item.values })),
          change: Object.entries(edits.changed)
            .filter(([id]) => !edits.ended.includes(Number(id)))
            .map(([id, values]) => ({ id: Number(id), values })),
          end: edits.ended,
        },
      }),
    );
  return (
    <div className="lines">
      <header className="row wrap">
        <h2 className="cut">{lines.table.label ?? lines.table.name}</h2>
        <span className="soft">{plural(lines.lines.length, "line")} kept here</span>
        {faulty > 0 && (
          <button
            type="button"
            className={`textlink warn ${onlyFaults ? "on" : ""}`}
            aria-pressed={onlyFaults}
            onClick={() => setOnlyFaults(!onlyFaults)}
          >
            {onlyFaults ? "show all" : `${plural(faulty, "line")} to look at`}
          </button>
        )}
        <Input
          allowClear
          aria-label="Search lines"
          placeholder="search"
          className="wide-160"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
        <span className="grow" />
        <Button onClick={() => add([Object.fromEntries(columns.map((column) => [column.name, null]))])}>+ line</Button>
        <Button onClick={() => setPasting(true)}>Paste…</Button>
        <Button onClick={() => setHistory(true)}>History</Button>
        <Popconfirm
          title="Keep the lines here no longer?"
          description="The table keeps what it holds and is refreshed from files again. The history of its lines is deleted."
          okText="Keep no longer"
          onConfirm={() => void stop()}
        >
          <Button>Keep no longer…</Button>
        </Popconfirm>
        <Button onClick={close}>Back to the table</Button>
      </header>
      {Object.keys(lines.meanings).length === 0 && (
        <Notice>
          No entitlement sentence reads this table yet, so nobody can say what its cells must hold. Write one on the bench, and mistakes are
          pointed out here.
        </Notice>
      )}
      <Scroll label="Lines" className="scroll fill no-least-tall edged">
        <table className="data grid-lines" data-testid="lines">
          <thead>
            <tr>
              {columns.map((column) => {
                const means = lines.meanings[column.name];
                return (
                  <th key={column.name}>
                    {column.label ?? column.name}
                    <br />
                    <span className="soft small meaning">
                      {means?.person
                        ? `who: ${means.person}`
                        : means?.of
                          ? `values of ${means.of}${means.separator ? `, parted by ${means.separator}` : ""}`
                          : column.type}
                    </span>
                  </th>
                );
              })}
              <th>added</th>
              <th>why</th>
              <th>
                <span className="visually-hidden">what can be done</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {edits.added.map((item, place) => (
              <tr key={`new.${item.key}`} className="gained">
                {columns.map((column) => (
                  <Cell
                    key={column.name}
                    column={column}
                    lines={lines}
                    value={item.values[column.name] ?? null}
                    fault={addedFaults(place).find((fault) => fault.column === column.name)}
                    change={(value) =>
                      put({
                        ...edits,
                        added: edits.added.map((other) =>
                          other.key === item.key ? { ...other, values: { ...other.values, [column.name]: value } } : other,
                        ),
                      })
                    }
                  />
                ))}
                <td className="small">new</td>
                <td />
                <td>
                  <button
                    type="button"
                    className="textlink"
                    onClick={() => put({ ...edits, added: edits.added.filter((other) => other.key !== item.key) })}
                  >
                    leave out
                  </button>
                </td>
              </tr>
            ))}
            {shown.slice(0, HEIGHT).map((line) => {
              const ended = edits.ended.includes(line.id);
              const values = edits.changed[line.id] ?? (line.values as Values);
              return (
                <tr key={line.id} className={ended ? "ended" : edits.changed[line.id] ? "lost" : ""}>
                  {columns.map((column) => (
                    <Cell
                      key={column.name}
                      column={column}
                      lines={lines}
                      disabled={ended}
                      value={values[column.name] ?? null}
                      fault={faultsOf(line).find((fault) => fault.column === column.name)}
                      change={(value) => set(line, column.name, value)}
                    />
                  ))}
                  <td className="small soft nowrap">
                    {dayOf(line.added_at)} {line.added_by}
                  </td>
                  <td className="small soft cut most-140" title={line.reason}>
                    {line.reason}
                  </td>
                  <td>
                    <button
                      type="button"
                      className="textlink"
                      onClick={() =>
                        put({ ...edits, ended: ended ? edits.ended.filter((id) => id !== line.id) : [...edits.ended, line.id] })
                      }
                    >
                      {ended ? "keep" : "end"}
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {lines.lines.length === 0 && edits.added.length === 0 && (
          <Empty title="No line yet">Add one, or paste them from a spreadsheet.</Empty>
        )}
        {shown.length > HEIGHT && (
          <p className="pad soft small">
            The first {HEIGHT} of {shown.length}; search to reach the others.
          </p>
        )}
      </Scroll>
      {dirty > 0 && (
        <footer className="row wrap">
          <b>
            {[
              edits.added.length > 0 && `${edits.added.length} new`,
              Object.keys(edits.changed).length > 0 && `${Object.keys(edits.changed).length} changed`,
              edits.ended.length > 0 && `${edits.ended.length} ended`,
            ]
              .filter(Boolean)
              .join(", ")}
          </b>
          <Input
            aria-label="Why"
            placeholder="why: kept with the lines"
            className="wide-300"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
          <Button disabled={past.length === 0} onClick={undo}>
            Undo
          </Button>
          <Button
            onClick={() => {
              put(NO_EDITS);
            }}
          >
            Leave all
          </Button>
          <span className="grow" />
          <Button type="primary" onClick={() => setConfirming(true)}>
            See what changes
          </Button>
        </footer>
      )}
      {confirming && (
        <ConfirmImpact
          title={`Change the lines of ${lines.table.label ?? lines.table.name}?`}
          send={send}
          close={() => setConfirming(false)}
        />
      )}
      {pasting && <Paste columns={columns} close={() => setPasting(false)} add={add} />}
      {history && <History path={path} columns={columns.map((column) => column.name)} close={() => setHistory(false)} />}
    </div>
  );
}

function Cell({
  column,
  lines,
  value,
  fault,
  change,
  disabled,
}: {
  column: Schemas["Column"];
  lines: Lines;
  value: Values[string];
  fault: Schemas["Fault"] | undefined;
  change: (value: Values[string]) => void;
  disabled?: boolean;
}) {
  const [text, setText] = useState<string | null>(null);
  const means = lines.meanings[column.name];
  const known = lines.known[column.name] ?? [];
  const now = text ?? (value === null ? "" : String(value));
  const last = means?.separator ? (now.split(means.separator).at(-1) ?? "").trim() : now;
  const before =
    means?.separator && now.includes(means.separator) ? `${now.slice(0, now.lastIndexOf(means.separator) + means.separator.length)} ` : "";
  const finish = (written: string) => {
    setText(null);
    const next = typedValue(written, column.type);
    if (next !== value) change(next);
  };
  const options = known
    .filter((name) => name.toLowerCase().includes(last.toLowerCase()))
    .slice(0, 30)
    .map((name) => ({ value: before + name, label: name }));
  return (
    <td className={fault ? (fault.careful ? "doubtful" : "faulty") : ""}>
      <AutoComplete
        aria-label={column.name}
        size="small"
        variant="borderless"
        disabled={disabled}
        className="full least-120"
        options={options}
        value={now}
        onChange={(written: string) => setText(written ?? "")}
        onSelect={(written: string) => finish(written)}
        onBlur={() => text !== null && finish(text)}
        onKeyDown={(event) => event.key === "Enter" && text !== null && finish(text)}
      />
      {fault && (
        <div className={`small fault ${fault.careful ? "careful" : "warn"}`}>
          {fault.message}{" "}
          {fault.nearest && !disabled && (
            <button
              type="button"
              className="textlink"
              onClick={() => finish(replaced(now, fault.part, fault.nearest ?? "", means?.separator ?? null))}
            >
              use {fault.nearest}
            </button>
          )}
        </div>
      )}
    </td>
  );
}

function Paste({ columns, close, add }: { columns: Schemas["Column"][]; close: () => void; add: (lines: Values[]) => void }) {
  const [text, setText] = useState("");
  const found = pastedLines(text, columns);
  return (
    <Modal
      open
      width={620}
      title="Paste lines from a spreadsheet"
      onCancel={close}
      okText={`Add ${plural(found.lines.length, "line")}`}
      okButtonProps={{ disabled: found.lines.length === 0 || found.surplus > 0 }}
      onOk={() => {
        add(found.lines);
        close();
      }}
    >
      <p className="soft small">
        Columns in the order {columns.map((column) => column.name).join(", ")}, or with their names in the first row. They are shown in the
        grid before anything is done.
      </p>
      <Input.TextArea
        aria-label="Pasted lines"
        autoSize={{ minRows: 8, maxRows: 16 }}
        className="mono"
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
      {text.trim() !== "" && (
        <p className={`small ${found.surplus > 0 ? "warn" : "soft"}`}>
          {found.surplus > 0
            ? `A row has ${plural(found.surplus, "cell")} more than there are columns.`
            : `${plural(found.lines.length, "line")}${found.header ? ", the first row is a header" : ", no header"}.`}
        </p>
      )}
    </Modal>
  );
}

function History({ path, columns, close }: { path: { model: string; table: string }; columns: string[]; close: () => void }) {
  const asked = useQuery(queries.linesHistory(path));
  return (
    <Modal open width={900} title={`History of ${path.table}`} onCancel={close} footer={<Button onClick={close}>Close</Button>}>
      {asked.isPending && <p className="soft">Opening…</p>}
      {asked.data && (
        <Scroll label="History" className="scroll low-480">
          <table className="data">
            <thead>
              <tr>
                {columns.map((column) => (
                  <th key={column}>{column}</th>
                ))}
                <th>added</th>
                <th>ended</th>
                <th>why</th>
              </tr>
            </thead>
            <tbody>
              {asked.data.lines.map((line) => (
                <tr key={line.id} className={line.ended_at ? "ended" : ""}>
                  {columns.map((column) => (
                    <td key={column}>{String((line.values as Values)[column] ?? "")}</td>
                  ))}
                  <td className="small">
                    {new Date(line.added_at).toLocaleString("en-GB")} {line.added_by}
                  </td>
                  <td className="small">
                    {line.ended_at ? `${new Date(line.ended_at).toLocaleString("en-GB")} ${line.ended_by}` : "holds"}
                  </td>
                  <td className="small">{line.reason}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Scroll>
      )}
    </Modal>
  );
}
