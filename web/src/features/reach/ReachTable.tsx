import { Button, Popover } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { asks, figureSubject, marked, objectSubject, pageSubject, tableSubject } from "../../state/asking";
import { useWorkbench } from "../../state/workbench";
import { Figure } from "../../ui/Figure";
import { count } from "../../ui/figures";
import { Scroll } from "../../ui/Scroll";
import { opensOf, type Person, type ReachLine, rowsOf, type Sorting, sizeOf, stateOf } from "./reachLines";

const MOST = 150;
const STATES = { clear: "clear", masked: "masked", hidden: "nothing is seen", mixed: "in part" } as const;

type Props = {
  lines: ReachLine[];
  answer: Schemas["ReachAnswer"];
  model: string;
  /** Tables whose columns are all told. */
  opened: string[];
  setOpened: (tables: string[]) => void;
  sorting: Sorting;
  setSorting: (sorting: Sorting) => void;
  labels: { roles: Map<string, string> };
  pages: Map<string, string>;
  measures: Schemas["Measure"][];
  people: Map<string, Person>;
  /** Whether everybody of a line sees the same, so that it has one figure. */
  alone: boolean;
  busy: boolean;
};

/** Lines of people against tables, columns, measures and pages. */
export function ReachTable(props: Props) {
  const { lines, answer, model, opened, setOpened, sorting, setSorting, labels, pages, measures, people, alone, busy } = props;
  const [more, setMore] = useState(1);
  const { tables } = answer;
  const sensitive = new Set(answer.sensitive);
  const columns = answer.columns
    .map((name, at) => ({ name, at }))
    .filter(({ name }) => sensitive.has(name) || opened.some((table) => name.startsWith(`${table}.`)));
  const shownPages = [...new Set(answer.classes.flatMap((item) => item.pages))].sort();
  const short = (name: string) => name.slice(name.indexOf(".") + 1);
  if (lines.length === 0) return <p className="pad soft">Nobody matches. Choose “everybody” above.</p>;
  return (
    <Scroll label="Who reaches what" busy={busy}>
      <table className="data" data-testid="reach">
        <thead>
          <tr className="kinds">
            <th className="whom">
              <span className="visually-hidden">who</span>
            </th>
            <th colSpan={tables.length} className="begins">
              rows of tables
            </th>
            {columns.length > 0 && (
              <th colSpan={columns.length} className="begins">
                columns
              </th>
            )}
            {measures.length > 0 && (
              <th colSpan={measures.length} className="begins">
                figures
              </th>
            )}
            {shownPages.length > 0 && (
              <th colSpan={shownPages.length} className="begins">
                pages
              </th>
            )}
          </tr>
          <tr className="names">
            <th className="whom" aria-sort={sorting === "people" ? "descending" : undefined}>
              <button type="button" className="plain" onClick={() => setSorting(sorting === "people" ? "first" : "people")}>
                people {sorting === "people" && "▾"}
              </button>
            </th>
            {tables.map(({ name }, index) => (
              <th
                key={name}
                className={index === 0 ? "begins" : ""}
                aria-sort={sorting === index ? "descending" : undefined}
                {...marked(tableSubject(model, short(name)), "who")}
              >
                <button type="button" className="plain" onClick={() => setSorting(sorting === index ? "first" : index)}>
                  {short(name).replaceAll("_", " ")} {sorting === index && "▾"}
                </button>{" "}
                <button
                  type="button"
                  className="textlink small"
                  aria-pressed={opened.includes(name)}
                  title={opened.includes(name) ? "fold its columns" : "tell all its columns"}
                  onClick={() => setOpened(opened.includes(name) ? opened.filter((other) => other !== name) : [...opened, name])}
                >
                  {opened.includes(name) ? "fold" : "columns"}
                </button>
              </th>
            ))}
            {columns.map(({ name }, index) => (
              <th
                key={name}
                className={index === 0 ? "begins" : ""}
                title={short(name)}
                {...asks(objectSubject(model, "column", short(name), short(name).replace(".", " · ")), "who")}
              >
                {short(short(name)).replaceAll("_", " ")}
                <div className="small soft">{short(name).split(".")[0]}</div>
              </th>
            ))}
            {measures.map((item, index) => (
              <th key={item.name} className={`number ${index === 0 ? "begins" : ""}`}>
                {item.label ?? item.name}
              </th>
            ))}
            {shownPages.map((name, index) => (
              <th key={name} className={index === 0 ? "begins" : ""} {...asks(pageSubject(name, pages.get(name) ?? name), "who")}>
                {pages.get(name) ?? name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {lines.slice(0, MOST * more).map((line) => {
            const login = line.logins[0] ?? "";
            const first = { login, name: people.get(login)?.name ?? login };
            return (
              <tr key={line.key}>
                <td className="whom">
                  <Whom line={line} people={people} labels={labels} />
                </td>
                {tables.map((table, index) => (
                  <Rows
                    key={table.name}
                    line={line}
                    table={table}
                    at={index}
                    ask={marked(tableSubject(model, short(table.name)), "why", undefined, first)}
                  />
                ))}
                {columns.map(({ name, at }, index) => {
                  const state = stateOf(line, at);
                  const was = line.otherwise.get(`column:${name}`);
                  return (
                    <td
                      key={name}
                      className={`${index === 0 ? "begins" : ""} ${was ? "otherwise" : ""}`}
                      title={`${short(name)}: ${STATES[state]}${wasWords(was)}`}
                      {...marked(objectSubject(model, "column", short(name), short(name).replace(".", " · ")), "why", undefined, first)}
                    >
                      <span className={`state-cell ${state}`} aria-hidden="true" />
                      <span className="visually-hidden">{STATES[state] + wasWords(was)}</span>
                    </td>
                  );
                })}
                {measures.map((item, index) => (
                  <td
                    key={item.name}
                    className={`number ${index === 0 ? "begins" : ""}`}
                    {...marked(figureSubject({ model, measure: item.name }, item.label ?? item.name), "bridge", undefined, first)}
                  >
                    {alone ? (
                      <Figure value={line.classes[0]?.values?.[index] ?? null} format={item.format} />
                    ) : (
                      <span className="soft small">by class</span>
                    )}
                  </td>
                ))}
                {shownPages.map((name, index) => {
                  const opens = opensOf(line, name);
                  const words = opens === "all" ? "opens" : opens === "some" ? "some open it" : "does not open";
                  const was = line.otherwise.get(`page:${name}`);
                  return (
                    <td
                      key={name}
                      className={`${index === 0 ? "begins" : ""} ${was ? "otherwise" : ""}`}
                      title={words + wasWords(was)}
                      {...marked(pageSubject(name, pages.get(name) ?? name), "why", undefined, first)}
                    >
                      <span
                        className={`state-cell ${opens === "all" ? "clear" : opens === "some" ? "mixed" : "hidden"}`}
                        aria-hidden="true"
                      />
                      <span className="visually-hidden">{words + wasWords(was)}</span>
                    </td>
                  );
                })}
              </tr>
            );
          })}
        </tbody>
      </table>
      {lines.length > MOST * more && (
        <p className="pad">
          <Button onClick={() => setMore(more + 1)}>
            {count(Math.min(MOST, lines.length - MOST * more))} more of {count(lines.length)} lines
          </Button>
        </p>
      )}
    </Scroll>
  );
}

function wasWords(was: string[] | undefined): string {
  return was ? `, was ${was.join(" or ")}` : "";
}

function Rows({ line, table, at, ask }: { line: ReachLine; table: Schemas["TableName"]; at: number; ask: object }) {
  const { least, most } = rowsOf(line, at);
  const of = sizeOf(line, table);
  const begins = at === 0;
  const was = line.otherwise.get(`table:${table.name}`);
  const words = least === most ? `${count(most)} of ${count(of)}` : `${count(least)} to ${count(most)} of ${count(of)}`;
  return (
    <td
      className={`table-share ${begins ? "begins" : ""} ${was ? "otherwise" : ""}`}
      title={words + wasWords(was?.map((rows) => count(Number(rows))))}
      {...ask}
    >
      <span className="bar wide-44" aria-hidden="true">
        <i style={{ width: `${of > 0 ? (100 * most) / of : 0}%` }} />
        {least !== most && <i className="was" style={{ width: `${of > 0 ? (100 * least) / of : 0}%` }} />}
      </span>
      <div className="small">
        {most === 0 ? (
          <span className="soft">none</span>
        ) : least === most ? (
          most === of ? (
            "all"
          ) : (
            count(most)
          )
        ) : (
          `${count(least)}–${count(most)}`
        )}
      </div>
    </td>
  );
}

/** Who a line is: its people, whom one can pin, and the roles they hold. */
function Whom({ line, people, labels }: { line: ReachLine; people: Map<string, Person>; labels: Props["labels"] }) {
  const { pin } = useWorkbench();
  const name = (login: string) => people.get(login)?.name ?? login;
  const roles = line.roles.map((role) => labels.roles.get(role) ?? role);
  return (
    <>
      <Popover
        trigger="click"
        placement="rightTop"
        content={
          <div className="wide-340">
            <h3 className="above-0">People</h3>
            <ul className="reach-people">
              {line.logins.slice(0, 200).map((login) => (
                <li key={login} className="row">
                  <Link to={`/people/${encodeURIComponent(login)}`}>{name(login)}</Link>
                  <span className="soft small grow">{login}</span>
                  <button
                    type="button"
                    className="textlink small"
                    onClick={() => pin({ key: `user:${login}`, title: name(login), detail: login, viewer: login })}
                  >
                    pin
                  </button>
                </li>
              ))}
            </ul>
            {line.logins.length > 200 && <p className="soft small">The first 200 of {count(line.logins.length)}.</p>}
            <h3>By</h3>
            <p>{roles.join(", ") || "no role"}</p>
          </div>
        }
      >
        <button type="button" className="textlink">
          {line.title}
        </button>
      </Popover>
      <div className="soft small cut" title={roles.join(", ")}>
        {line.logins.length > 1 && `${count(line.logins.length)} people · `}
        {line.classes.length > 1 ? `${count(line.classes.length)} classes` : roles.join(", ") || "no role"}
      </div>
      {line.classes.some((item) => (item.not_known ?? []).length > 0) && (
        <div className="small warn">not known: a source chosen for them does not answer</div>
      )}
    </>
  );
}
