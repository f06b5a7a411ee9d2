import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useEffect, useRef } from "react";
import { Link, useSearchParams } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { usePeople, useRoles } from "../../state/directory";
import { useModel, useWorkbench } from "../../state/workbench";
import { count, plural } from "../../ui/figures";
import { Empty, Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { Share } from "../../ui/Share";
import { useUnsaved } from "../../ui/unsaved";
import { roleEdits } from "../../ui/unsavedEdits";
import "./combine.css";

const MARKS = { visible: "visible", masked: "masked", hidden: "hidden" } as const;

/** Several roles at once: what each opens alone, what all open together, and that no cell opens that no role opens. */
export default function CombineScreen() {
  const [search, setSearch] = useSearchParams();
  const bench = useWorkbench();
  const roles = useRoles();
  const people = usePeople();
  const model = useModel("draft");
  const edits = useUnsaved(roleEdits);
  const names = (search.get("roles") ?? "").split(",").filter(Boolean);
  const tables = model.data?.document.tables ?? [];
  const table = tables.find((item) => item.name === search.get("table"))?.name ?? tables[0]?.name ?? null;
  const login = search.get("as");
  const entries = (roles.data?.roles ?? []).filter((entry) => entry.role.model === bench.model);
  const chosen = names.filter((name) => entries.some((entry) => entry.role.name === name));
  // Roles that come with the address bring their model along, once.
  const asked = search.get("roles") ?? "";
  const brought = useRef("");
  const theirs = roles.data?.roles.find((entry) => names.includes(entry.role.name))?.role.model;
  useEffect(() => {
    if (!theirs || bench.model === null || brought.current === asked) return;
    brought.current = asked;
    if (theirs !== bench.model) bench.setModel(theirs);
  }, [theirs, asked, bench.model, bench.setModel]);
  const edited = chosen.flatMap((name) => {
    const edit = edits.get(name);
    return edit ? [{ ...edit.now, name }] : [];
  });
  const set = (change: Record<string, string | null>) => {
    const next = new URLSearchParams(search);
    for (const [key, value] of Object.entries(change)) {
      if (value) next.set(key, value);
      else next.delete(key);
    }
    setSearch(next, { replace: true });
  };
  const found = useQuery({
    ...queries.combined({ edited, about: { model: bench.model ?? "", roles: chosen, table: table ?? "", login } }),
    enabled: bench.model !== null && chosen.length > 0 && table !== null,
  });
  const answer = found.data && chosen.length > 0 ? found.data : null;
  return (
    <div className="pad combine">
      <div className="row wrap">
        <h2>Combine roles</h2>
        <span className="soft">grants widen: a row is open if one of them opens it; limits narrow: every one of them must leave it</span>
        <span className="grow" />
        <Link to="/roles">Back to the roles</Link>
      </div>
      <div className="row wrap around-10-0">
        <Select
          mode="multiple"
          aria-label="Roles to combine"
          placeholder="Two or more roles"
          className="least-420"
          value={chosen}
          optionFilterProp="label"
          maxCount={8}
          onChange={(next: string[]) => set({ roles: next.join(",") })}
          options={entries.map((entry) => ({
            value: entry.role.name,
            label: `${entry.role.label ?? entry.role.name} (${entry.role.kind})`,
          }))}
        />
        <Select
          showSearch
          allowClear
          aria-label="For whom"
          placeholder="for nobody in particular"
          className="least-220"
          value={login}
          optionFilterProp="label"
          onChange={(next?: string) => set({ as: next ?? null })}
          options={people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
        />
        {edited.length > 0 && <span className="state-mark small">draft, unsaved</span>}
      </div>
      {chosen.length === 0 && (
        <Empty title="Choose the roles somebody would hold together">
          <p>Dynamic roles need a person: choose for whom, and their attributes and lines are used.</p>
        </Empty>
      )}
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {answer && (
        <>
          {answer.together.refused && (
            <Notice kind="careful">
              {answer.roles.some((role) => role.kind === "grant")
                ? answer.together.refused.message
                : "Limit roles alone open nothing: add a grant."}
            </Notice>
          )}
          <Tables answer={answer} table={table} choose={(next) => set({ table: next })} />
          {table && <Chosen answer={answer} />}
        </>
      )}
    </div>
  );
}

type Combined = Schemas["Combined"];

function Tables({ answer, table, choose }: { answer: Combined; table: string | null; choose: (table: string) => void }) {
  const lines = (answer.together.tables.length ? answer.together : (answer.roles[0]?.share ?? answer.together)).tables;
  return (
    <Scroll label="What each role opens, and all together">
      <table className="data">
        <thead>
          <tr>
            <th>table</th>
            {answer.roles.map((role) => (
              <th key={role.name}>
                <span className={`kind ${role.kind}`}>{role.kind}</span> {role.label}
                <div className="soft small">{role.kind === "grant" ? "opens alone" : "leaves of everything"}</div>
              </th>
            ))}
            <th className="together">
              together
              <div className="soft small">what the person sees</div>
            </th>
          </tr>
        </thead>
        <tbody>
          {lines.map((line, index) => (
            <tr key={line.table} className={line.table === table ? "on" : ""}>
              <td>
                <button type="button" className="textlink" aria-pressed={line.table === table} onClick={() => choose(line.table)}>
                  {line.table}
                </button>
              </td>
              {answer.roles.map((role) => {
                const share = role.share.tables[index];
                return (
                  <td key={role.name}>
                    <Share visible={role.share.refused ? null : (share?.visible ?? null)} rows={line.rows} width={70} />
                  </td>
                );
              })}
              <td className="together">
                <Share
                  visible={answer.together.refused ? null : (answer.together.tables[index]?.visible ?? null)}
                  rows={line.rows}
                  width={70}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Scroll>
  );
}

function Chosen({ answer }: { answer: Combined }) {
  const labels = new Map(answer.roles.map((role) => [role.name, role.label]));
  const grants = answer.roles.filter((role) => role.kind === "grant");
  const most = Math.max(1, ...answer.parts.map((part) => part.rows));
  return (
    <div className="combine-chosen">
      <section>
        <h3>Which rows of {answer.table} come by which role</h3>
        <table className="data parts" data-testid="parts">
          <thead>
            <tr>
              {grants.map((role) => (
                <th key={role.name}>{role.label}</th>
              ))}
              <th>rows</th>
              <th className="number">left by the limits</th>
            </tr>
          </thead>
          <tbody>
            {answer.parts.map((part) => (
              <tr key={part.roles.join("+") || "none"}>
                {grants.map((role) => {
                  const opens = part.roles.includes(role.name);
                  return (
                    <td key={role.name}>
                      <span
                        className={`dot ${opens ? "opens" : ""}`}
                        role="img"
                        aria-label={opens ? `${role.label} opens them` : `${role.label} does not`}
                      />
                    </td>
                  );
                })}
                <td>
                  <span className={`bar ${part.roles.length === 0 ? "absent" : ""}`} style={{ width: 90 }} aria-hidden="true">
                    {part.roles.length > 0 && <i style={{ width: `${(100 * part.rows) / most}%` }} />}
                  </span>{" "}
                  {count(part.rows)}{" "}
                  <span className="soft small">
                    {part.roles.length === 0
                      ? "opened by none"
                      : part.roles.length === 1
                        ? `only by ${labels.get(part.roles[0] ?? "")}`
                        : "by each of these"}
                  </span>
                </td>
                <td className="number">{part.roles.length === 0 ? "–" : count(part.left)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        {answer.parts.length === 0 && <p className="soft">No grant role here opens {answer.table}.</p>}
        <Proof answer={answer} />
      </section>
      <section>
        <h3>Columns of {answer.table}</h3>
        <table className="data">
          <thead>
            <tr>
              <th>column</th>
              {answer.roles.map((role) => (
                <th key={role.name}>{role.label}</th>
              ))}
              <th className="together">together</th>
            </tr>
          </thead>
          <tbody>
            {answer.columns.map((column) => (
              <tr key={column.column}>
                <td>{column.column}</td>
                {column.states.map((state, index) => (
                  <State key={answer.roles[index]?.name} state={state} />
                ))}
                <State state={column.together} together />
              </tr>
            ))}
          </tbody>
        </table>
        <p className="soft small">
          Rows of one role never combine with columns of another: a cell is shown as far as one single role shows it.
        </p>
      </section>
    </div>
  );
}

function Proof({ answer }: { answer: Combined }) {
  if (answer.cells === 0) return null;
  return (
    <Notice kind={answer.opened_by_none === 0 ? "good" : "bad"}>
      <span data-testid="proof">
        {answer.opened_by_none === 0
          ? `Compared ${plural(answer.cells, "cell")} of ${answer.table} together with each grant alone under the same limits: none opens that no role opens.`
          : `${plural(answer.opened_by_none, "cell")} of ${answer.table} would open that no role opens. This must not be: tell whoever keeps Moorland.`}
      </span>
    </Notice>
  );
}

function State({ state, together }: { state: keyof typeof MARKS; together?: boolean }) {
  return (
    <td className={`${state === "hidden" ? "hid" : ""} ${together ? "together" : ""}`}>
      <span className={state === "masked" ? "msk" : state === "hidden" ? "soft small" : ""}>{MARKS[state]}</span>
    </td>
  );
}
