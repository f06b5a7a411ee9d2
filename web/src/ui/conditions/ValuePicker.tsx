import { useMutation, useQuery } from "@tanstack/react-query";
import { Button, Checkbox, Input } from "antd";
import { memo, useCallback, useRef, useState } from "react";
import { api, data } from "../../api/client";
import { queries } from "../../api/queries";
import { count } from "../figures";
import { useConditionSource } from "./source";

type Props = { model: string; table: string; column: string; values: unknown[]; onChange: (values: unknown[]) => void };

/** The values of a column with their rows: searched, ticked, or pasted as a list. */
export function ValuePicker({ model, table, column, values, onChange }: Props) {
  const [search, setSearch] = useState("");
  const [pasting, setPasting] = useState(false);
  const path = { model, table, column };
  const own = useConditionSource() === "own";
  const ofWorkspace = useQuery({ ...queries.values(model, table, column, search), enabled: !own });
  const ofOwn = useQuery({ ...queries.myValues(model, table, column, search), enabled: own });
  const found = own ? ofOwn : ofWorkspace;
  const chosen = new Set(values.map(String));
  const toggle = (value: unknown) =>
    onChange(chosen.has(String(value)) ? values.filter((item) => String(item) !== String(value)) : [...values, value]);
  const latest = useRef(toggle);
  latest.current = toggle;
  const stableToggle = useCallback((value: unknown) => latest.current(value), []);
  const missing = values.filter(
    (value) =>
      search === "" && (found.data?.distinct ?? 0) <= 200 && !found.data?.values.some((entry) => String(entry.value) === String(value)),
  );
  const beyond =
    (found.data?.distinct ?? 0) > 200 ? values.filter((value) => !found.data?.values.some((e) => String(e.value) === String(value))) : [];
  if (pasting) {
    return (
      <PastedList
        path={path}
        add={(more) => {
          onChange([...values, ...more.filter((value) => !chosen.has(String(value)))]);
        }}
        close={() => setPasting(false)}
      />
    );
  }
  return (
    <>
      <div className="row">
        {(found.data?.distinct ?? 0) > 10 && (
          <Input
            allowClear
            size="small"
            placeholder="Search values"
            aria-label="Search values"
            value={search}
            onChange={(event) => setSearch(event.target.value)}
          />
        )}
        {!own && (
          <button type="button" className="textlink small nowrap" onClick={() => setPasting(true)}>
            paste a list
          </button>
        )}
      </div>
      <div className="values">
        {missing.map((value) => (
          <div key={String(value)} className="row">
            <Checkbox checked onChange={() => toggle(value)}>
              {String(value)}
            </Checkbox>
            <span className="grow" />
            <span className="warn small">matches no row</span>
          </div>
        ))}
        {search === "" &&
          beyond.slice(0, 50).map((value) => (
            <div key={String(value)}>
              <Checkbox checked onChange={() => toggle(value)}>
                {String(value)}
              </Checkbox>
            </div>
          ))}
        {found.data?.values.map((entry) => (
          <ValueLine
            key={String(entry.value)}
            value={entry.value}
            rows={entry.rows}
            checked={chosen.has(String(entry.value))}
            toggle={stableToggle}
          />
        ))}
        {found.data && found.data.values.length === 0 && <p className="soft small">No value matches.</p>}
        {found.isError && <p className="warn small">{found.error.message}</p>}
      </div>
      {found.data && (
        <p className="soft small">
          {values.length > 0 && `${count(values.length)} chosen of `}
          {count(found.data.distinct)} values{found.data.blank > 0 && `, ${count(found.data.blank)} rows blank`}
          {found.data.distinct > found.data.values.length && search === "" && "; search to find the others"}
        </p>
      )}
    </>
  );
}

type LineProps = { value: unknown; rows: number; checked: boolean; toggle: (value: unknown) => void };

/** One value with its rows; drawn anew only where it changed. */
const ValueLine = memo(function ValueLine({ value, rows, checked, toggle }: LineProps) {
  return (
    <div className="row">
      <Checkbox checked={checked} onChange={() => toggle(value)}>
        {String(value)}
      </Checkbox>
      <span className="grow" />
      {rows > 0 && <span className="soft small">{count(rows)}</span>}
    </div>
  );
});

type PasteProps = { path: { model: string; table: string; column: string }; add: (values: unknown[]) => void; close: () => void };

/** A pasted list against the column: what was found is added, what was not is named with the nearest value. */
function PastedList({ path, add, close }: PasteProps) {
  const [text, setText] = useState("");
  const texts = text
    .split(/[\n\t,;]+/)
    .map((item) => item.trim())
    .filter(Boolean);
  const match = useMutation({
    mutationFn: () =>
      data(api.POST("/api/models/{model}/values/{table}/{column}", { params: { path }, body: { texts: texts.slice(0, 5000) } })),
    onSuccess: (answer) => {
      add(answer.found.map((entry) => entry.value));
      if (answer.missing.length === 0) close();
    },
  });
  return (
    <div>
      <Input.TextArea
        autoFocus
        aria-label="Pasted values"
        placeholder="One value a line, or separated by commas"
        autoSize={{ minRows: 4, maxRows: 8 }}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          match.reset();
        }}
      />
      {match.data && (
        <div className="small" role="status">
          {count(match.data.found.length)} found and chosen.{" "}
          <span className="warn">{count(match.data.missing.length)} not in the data:</span>
          <ul className="pasted-missing">
            {match.data.missing.slice(0, 40).map((item) => (
              <li key={item.text}>
                {item.text}
                {item.nearest !== null && item.nearest !== undefined && (
                  <>
                    {" "}
                    <span className="soft">nearest</span>{" "}
                    <button type="button" className="textlink" onClick={() => add([item.nearest])}>
                      {String(item.nearest)}
                    </button>
                  </>
                )}
              </li>
            ))}
          </ul>
        </div>
      )}
      {match.isError && <p className="warn small">{match.error.message}</p>}
      <div className="row above-6">
        <Button
          size="small"
          type="primary"
          disabled={texts.length === 0 || match.data !== undefined}
          loading={match.isPending}
          onClick={() => match.mutate()}
        >
          Find {texts.length > 0 ? count(texts.length) : ""} values
        </Button>
        <Button size="small" onClick={close}>
          {match.data ? "Done" : "Back"}
        </Button>
      </div>
    </div>
  );
}
