import { Button, Modal, Select } from "antd";
import { useCallback, useState } from "react";
import { useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { FilesStep } from "../../ui/files/FilesStep";
import type { Source } from "../../ui/files/sources";
import { Notice } from "../../ui/Notice";
import { TaskProgress } from "../../ui/TaskProgress";

/** New content for a table: a file is matched with its columns, staged and compared; nobody sees it before it is accepted. */
export function RefreshModal({ model, table, close }: { model: string; table: Schemas["Table"]; close: () => void }) {
  const changed = useChanged();
  const navigate = useNavigate();
  const [sources, setSources] = useState<Source[]>([]);
  const [places, setPlaces] = useState<Record<string, number>>({});
  const [task, setTask] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const source = sources[0];
  const stored = (table.columns ?? []).filter((column) => !column.expression && !column.mapping);
  const headers = source?.grid.headers ?? [];
  const plain = (text: string) =>
    text
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "_")
      .replace(/^_|_$/g, "");
  const placeOf = (column: Schemas["Column"]) =>
    places[column.name] ??
    headers.findIndex((header) => header === column.name || plain(header) === column.name || header === column.label);
  const missing = stored.filter((column) => placeOf(column) < 0);
  const stage = async () => {
    if (!source) return;
    setError(null);
    try {
      const columns = Object.fromEntries(stored.map((column) => [column.name, placeOf(column)] as const).filter(([, place]) => place >= 0));
      const started = await data(
        api.POST("/api/models/{model}/tables/{table}/refreshes", {
          params: { path: { model, table: table.name } },
          body: { upload: source.upload, reading: source.grid.reading, columns },
        }),
      );
      setTask(started.id);
    } catch (cause) {
      setError((cause as Error).message);
    }
  };
  const finished = useCallback(
    async (ended: Schemas["TaskAnswer"]) => {
      if (ended.state !== "done") return;
      await changed("data");
      close();
      navigate("/models/refreshes");
    },
    [changed, close, navigate],
  );
  return (
    <Modal
      open
      width={1000}
      title={`Refresh ${table.label ?? table.name}`}
      onCancel={close}
      okText="Compare with what is there"
      okButtonProps={{ disabled: !source || Boolean(source.grid.refused) || task !== null }}
      onOk={() => void stage()}
    >
      {error && <Notice kind="bad">{error}</Notice>}
      {task ? (
        <>
          <TaskProgress key={task} id={task} finished={(ended) => void finished(ended)} />
          <Button onClick={() => setTask(null)}>Back to the file</Button>
        </>
      ) : (
        <div className="tall-460 as-flex as-column">
          <FilesStep sources={sources} change={setSources} one />
          {source && !source.grid.refused && (
            <div>
              <h3>Columns</h3>
              {missing.length === 0 ? (
                <p className="small">Every column of the table is found in the file.</p>
              ) : (
                <div className="row wrap">
                  {missing.map((column) => (
                    <span key={column.name} className="row">
                      <span className="warn small">{column.name} is missing:</span>
                      <Select
                        size="small"
                        allowClear
                        aria-label={`File column for ${column.name}`}
                        placeholder="leave blank"
                        className="wide-150"
                        value={places[column.name] ?? null}
                        onChange={(place) =>
                          setPlaces(
                            place === undefined || place === null
                              ? Object.fromEntries(Object.entries(places).filter(([name]) => name !== column.name))
                              : { ...places, [column.name]: place },
                          )
                        }
                        options={headers.map((header, index) => ({ value: index, label: header || `column ${index + 1}` }))}
                      />
                    </span>
                  ))}
                </div>
              )}
            </div>
          )}
        </div>
      )}
    </Modal>
  );
}
