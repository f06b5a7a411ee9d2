import { App, Button, Progress } from "antd";
import { useRef, useState } from "react";
import { ApiError, api, data } from "../../api/client";
import { upload } from "../../api/upload";
import { Empty } from "../Notice";
import { GridPreview } from "./GridPreview";
import { type Reading, type Source, size } from "./sources";
import "./files.css";

type Arriving = { key: string; name: string; share: number; stop: AbortController };

let made = 0;

/** Files are brought, several at once, and looked at as they stand. */
export function FilesStep({
  sources,
  change,
  one,
}: {
  sources: Source[];
  change: (next: (now: Source[]) => Source[]) => void;
  one?: boolean;
}) {
  const { message } = App.useApp();
  const field = useRef<HTMLInputElement>(null);
  const [arriving, setArriving] = useState<Arriving[]>([]);
  const [chosen, setChosen] = useState<string | null>(null);
  const [over, setOver] = useState(false);
  const [busy, setBusy] = useState(false);
  const current = sources.find((source) => source.key === chosen) ?? sources[0];

  const look = (key: string, reading: Reading | null, headerChosen: boolean) =>
    data(api.POST("/api/uploads/{key}/grid", { params: { path: { key } }, body: { reading, header_chosen: headerChosen } }));

  const bring = async (files: File[]) => {
    for (const file of one ? files.slice(0, 1) : files) {
      const key = `file-${++made}`;
      const stop = new AbortController();
      setArriving((now) => [...now, { key, name: file.name, share: 0, stop }]);
      try {
        const there = await upload(
          file,
          (share) => setArriving((now) => now.map((item) => (item.key === key ? { ...item, share } : item))),
          stop.signal,
        );
        const grid = await look(there.id, null, false);
        change((now) => [...(one ? [] : now), { key, upload: there.id, name: there.name, size: there.size, grid }]);
        setChosen(key);
      } catch (error) {
        if (!(error instanceof ApiError && error.code === "stopped")) message.error(`${file.name}: ${(error as Error).message}`, 8);
      } finally {
        setArriving((now) => now.filter((item) => item.key !== key));
      }
    }
  };

  const read = async (source: Source, reading: Reading, headerChosen: boolean) => {
    setBusy(true);
    try {
      const grid = await look(source.upload, reading, headerChosen);
      change((now) => now.map((item) => (item.key === source.key ? { ...item, grid } : item)));
    } catch (error) {
      message.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };

  const otherSheets = current
    ? current.grid.sheets.filter((sheet) => !sources.some((item) => item.upload === current.upload && item.grid.reading.sheet === sheet))
    : [];
  const addSheet = async (source: Source, sheet: string) => {
    setBusy(true);
    try {
      const key = `file-${++made}`;
      const grid = await look(source.upload, { ...source.grid.reading, sheet, header_row: 1 }, false);
      change((now) => [...now, { ...source, key, grid }]);
      setChosen(key);
    } catch (error) {
      message.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };

  return (
    <div className="bring-files">
      <div>
        <button
          type="button"
          className={`drop ${over ? "over" : ""}`}
          onClick={() => field.current?.click()}
          onDragOver={(event) => {
            event.preventDefault();
            setOver(true);
          }}
          onDragLeave={() => setOver(false)}
          onDrop={(event) => {
            event.preventDefault();
            setOver(false);
            void bring([...event.dataTransfer.files]);
          }}
        >
          <b>{one ? "Choose the file" : "Choose files"}</b>
          <span>or drop {one ? "it" : "them"} here</span>
          <span className="soft small">CSV, XLSX, Parquet</span>
        </button>
        <input
          ref={field}
          type="file"
          multiple={!one}
          className="visually-hidden"
          aria-label="Files"
          accept=".csv,.tsv,.txt,.xlsx,.parquet"
          onChange={(event) => {
            void bring([...(event.target.files ?? [])]);
            event.target.value = "";
          }}
        />
        {arriving.map((item) => (
          <div key={item.key} className="arriving">
            <div className="row">
              <span className="cut grow">{item.name}</span>
              <Button size="small" onClick={() => item.stop.abort()}>
                Stop
              </Button>
            </div>
            <Progress percent={Math.round(item.share * 100)} size="small" />
          </div>
        ))}
        {sources.map((source) => (
          <div key={source.key} className={`file-line ${source === current ? "on" : ""}`}>
            <button type="button" className="plain grow" onClick={() => setChosen(source.key)} aria-pressed={source === current}>
              <span className="cut name">
                {source.name}
                {source.grid.reading.sheet && <span className="soft"> › {source.grid.reading.sheet}</span>}
              </span>
              <span className={`small ${source.grid.refused ? "warn" : "soft"}`}>
                {source.grid.refused ? "cannot be read yet" : `${source.grid.headers.length} columns · ${size(source.size)}`}
              </span>
            </button>
            <button
              type="button"
              className="textlink small"
              aria-label={`Leave out ${source.name}`}
              onClick={() => change((now) => now.filter((item) => item.key !== source.key))}
            >
              leave out
            </button>
          </div>
        ))}
      </div>
      <div className="bring-look">
        {current ? (
          <>
            <h2 className="cut">{current.name}</h2>
            <p className="soft small">The first rows as they stand in the file; nothing is brought in yet.</p>
            <GridPreview
              key={current.key}
              grid={current.grid}
              busy={busy}
              read={(reading, chosenRow) => void read(current, reading, chosenRow)}
            />
            {!one && otherSheets.length > 0 && (
              <p className="row wrap above-8">
                <span className="soft">Also bring the sheet</span>
                {otherSheets.slice(0, 12).map((sheet) => (
                  <Button key={sheet} size="small" onClick={() => void addSheet(current, sheet)}>
                    + {sheet}
                  </Button>
                ))}
              </p>
            )}
          </>
        ) : (
          <Empty title="Nothing brought yet">
            Choose the files your tables are in. You will see their first rows as they stand, then what Moorland takes them for: types,
            keys, relationships and columns that look personal. Nothing is kept until you confirm it.
          </Empty>
        )}
      </div>
    </div>
  );
}
