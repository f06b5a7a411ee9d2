import { useMutation } from "@tanstack/react-query";
import { App, Button, Checkbox, Modal, Radio, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import type { PeopleData } from "../../state/directory";
import { plural } from "../../ui/figures";
import { FilesStep } from "../../ui/files/FilesStep";
import type { Source } from "../../ui/files/sources";
import { Impact } from "../../ui/Impact";
import { Notice } from "../../ui/Notice";
import { Scroll } from "../../ui/Scroll";
import { FIELDS, guessed, type Kind } from "./fileColumns";

type Report = Schemas["ImportReport"];

/** People or groups from a file: columns mapped, every row tried and told about, then all applied, or nothing. */
export default function ImportPeople({ people, close }: { people: PeopleData; close: () => void }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [kind, setKind] = useState<Kind>("people");
  const [sources, setSources] = useState<Source[]>([]);
  const [chosen, setChosen] = useState<Record<string, number | null>>({});
  const [report, setReport] = useState<Report | null>(null);
  const [leaveOut, setLeaveOut] = useState(false);
  const [addGroups, setAddGroups] = useState(false);
  const [only, setOnly] = useState<"all" | "refused" | "changing">("all");
  const source = sources[0];
  const headers = source?.grid.headers ?? [];
  const attributes = people.attributes.filter((item) => item.shown_to !== "nobody").map((item) => item.name);
  const guess = guessed(kind, headers, attributes);
  const columns = Object.fromEntries(
    [...FIELDS[kind].map(([field]) => field), ...attributes.map((name) => `attribute:${name}`)].flatMap((field) => {
      const place = field in chosen ? chosen[field] : guess[field];
      return place === undefined || place === null ? [] : [[field, place]];
    }),
  ) as Record<string, number>;
  const send = (onlyTry: boolean) =>
    data(
      api.POST("/api/directory/import", {
        params: { query: { try: onlyTry } },
        body: {
          upload: source?.upload ?? "",
          reading: source?.grid.reading ?? { format: "csv" },
          kind,
          columns,
          leave_out_refused: leaveOut,
          add_groups: addGroups,
        },
      }),
    );
  const attempt = useMutation({ mutationFn: () => send(true), onSuccess: setReport });
  const apply = useMutation({
    mutationFn: () => send(false),
    onSuccess: async (done) => {
      await changed("people");
      message.success(`${plural(done.created, kind === "people" ? "person" : "group", kind)} added, ${done.changed} changed.`);
      close();
    },
  });
  const error = attempt.error ?? apply.error;
  const key = kind === "people" ? "login" : "name";
  const rows = (report?.rows ?? []).filter(
    (row) => only === "all" || (only === "refused" ? row.outcome === "refused" : row.outcome === "created" || row.outcome === "changed"),
  );
  return (
    <Modal
      open
      width={980}
      title="Bring people in from a file"
      onCancel={close}
      footer={
        <div className="row">
          {report && <Button onClick={() => setReport(null)}>Back to the columns</Button>}
          <span className="grow" />
          <Button onClick={close}>Leave it</Button>
          {report ? (
            <Button
              type="primary"
              loading={apply.isPending}
              disabled={report.created + report.changed === 0 || (report.refused > 0 && !leaveOut)}
              onClick={() => apply.mutate()}
            >
              Do it now
            </Button>
          ) : (
            <Button
              type="primary"
              loading={attempt.isPending}
              disabled={!source || Boolean(source.grid.refused) || columns[key] === undefined}
              onClick={() => attempt.mutate()}
            >
              Try every row
            </Button>
          )}
        </div>
      }
    >
      {error && <Notice kind="bad">{error.message}</Notice>}
      {!report && (
        <div className="import-people">
          <Radio.Group
            value={kind}
            onChange={(event) => {
              setKind(event.target.value);
              setChosen({});
            }}
            options={[
              { value: "people", label: "people" },
              { value: "groups", label: "groups" },
            ]}
          />
          <div style={{ height: source ? 300 : 200, display: "flex", flexDirection: "column", marginTop: 8 }}>
            <FilesStep sources={sources} change={setSources} one />
          </div>
          {source && !source.grid.refused && (
            <>
              <h3>Which column holds what</h3>
              <div className="mapping">
                {[...FIELDS[kind], ...attributes.map((name) => [`attribute:${name}`, `attribute ${name}`] as [string, string])].map(
                  ([field, label]) => (
                    <div key={field}>
                      <span className={columns[field] === undefined ? "soft" : ""}>{label}</span>
                      <Select
                        size="small"
                        allowClear
                        aria-label={`Column for ${label}`}
                        placeholder="not in the file"
                        value={columns[field] ?? null}
                        onChange={(place) => setChosen({ ...chosen, [field]: place ?? null })}
                        options={headers.map((header, index) => ({ value: index, label: header || `column ${index + 1}` }))}
                      />
                    </div>
                  ),
                )}
              </div>
              <p className="soft small">
                A blank cell leaves what is there. Memberships are added, never taken away. No password is read from a file: first sign-in
                is by a one-time link.
              </p>
            </>
          )}
        </div>
      )}
      {report && (
        <>
          <div className="row wrap">
            <b>{plural(report.rows.length, "row")} tried, nothing changed yet:</b>
            <span>{report.created} new</span>
            <span>{report.changed} changed</span>
            <span className="soft">{report.unchanged} unchanged</span>
            <span className={report.refused > 0 ? "warn" : "soft"}>{report.refused} refused</span>
            <span className="grow" />
            <Select
              size="small"
              aria-label="Which rows"
              className="wide-150"
              value={only}
              onChange={setOnly}
              options={[
                { value: "all", label: "all rows" },
                { value: "changing", label: "new and changed" },
                { value: "refused", label: "refused" },
              ]}
            />
          </div>
          <Scroll label="Rows" className="scroll low-240 above-6 edged">
            <table className="data" data-testid="import-report">
              <thead>
                <tr>
                  <th className="number">row</th>
                  <th>{key}</th>
                  <th>what</th>
                  <th>changes, or why not</th>
                </tr>
              </thead>
              <tbody>
                {rows.slice(0, 300).map((row) => (
                  <tr key={row.row}>
                    <td className="number">{row.row}</td>
                    <td>
                      <code>{row.name || "(blank)"}</code>
                    </td>
                    <td className={row.outcome === "refused" ? "warn" : row.outcome === "unchanged" ? "soft" : ""}>
                      {row.outcome === "created" ? "new" : row.outcome}
                    </td>
                    <td className="wraps">{row.why ?? row.changes.join("; ")}</td>
                  </tr>
                ))}
              </tbody>
            </table>
            {rows.length > 300 && <p className="soft small pad">and {rows.length - 300} more rows</p>}
          </Scroll>
          {(report.unknown_groups ?? []).length > 0 && (
            <Notice kind="careful">
              Not here yet: {report.unknown_groups.slice(0, 12).join(", ")}
              {report.unknown_groups.length > 12 && " …"}.{" "}
              <button
                type="button"
                className="textlink"
                onClick={() => {
                  setAddGroups(true);
                  setReport(null);
                }}
              >
                Add {plural(report.unknown_groups.length, "group")} with the file
              </button>{" "}
              and try every row again. A new group holds no role.
            </Notice>
          )}
          {report.refused > 0 && (
            <p className="above-8">
              <Checkbox checked={leaveOut} onChange={(event) => setLeaveOut(event.target.checked)}>
                Leave the {plural(report.refused, "refused row")} out and bring the others in. Otherwise nothing is changed.
              </Checkbox>
            </p>
          )}
          <h3>Who gains and who loses</h3>
          <Impact groups={report.viewers} />
        </>
      )}
    </Modal>
  );
}
