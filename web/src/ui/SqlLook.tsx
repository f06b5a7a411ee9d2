import { useQuery } from "@tanstack/react-query";
import { App, Modal, Select } from "antd";
import { useState } from "react";
import type { PinnedViewer, Role, Schemas, StateName } from "../api/client";
import { queries } from "../api/queries";
import { Notice } from "./Notice";

type Props = {
  title: string;
  viewer: PinnedViewer;
  question: Schemas["Question"];
  state?: StateName;
  edited?: Role[];
  close: () => void;
};

/** The SQL of a question as a viewer's roles secure it; values are bound, never written into it. */
export function SqlLook({ title, viewer, question, state = "draft", edited = [], close }: Props) {
  const { message } = App.useApp();
  const [dialect, setDialect] = useState("postgres");
  const asked = useQuery(queries.sql({ viewer, question, dialect, state, edited }));
  const found = asked.data;
  const copy = (text: string) => void navigator.clipboard.writeText(text).then(() => message.success("Copied."));
  return (
    <Modal open width={860} title={`The SQL of this question, as ${title}`} footer={null} onCancel={close}>
      <div className="row below-8">
        <span className="soft">for</span>
        <Select
          aria-label="Database engine"
          value={dialect}
          onChange={setDialect}
          className="least-140"
          options={(found?.dialects ?? [dialect]).map((name) => ({ value: name, label: name }))}
        />
        <span className="soft small">Nothing is run. What the viewer is, is bound as a value.</span>
      </div>
      {asked.isError && <Notice kind="bad">{asked.error.message}</Notice>}
      {found?.refused && <Notice kind="careful">{found.refused}</Notice>}
      {found?.statements.map((item) => (
        <section key={`${item.gives} ${item.measure ?? ""}`}>
          <div className="row">
            <h3 className="grow">{[item.gives, item.measure].filter(Boolean).join(" of ")}</h3>
            <button type="button" className="textlink" onClick={() => copy(item.sql)}>
              copy
            </button>
          </div>
          <pre className="sql">{item.sql}</pre>
          {Object.keys(item.parameters).length > 0 && (
            <p className="small">
              {Object.entries(item.parameters).map(([name, value]) => (
                <span key={name} className="nowrap">
                  <code>{name}</code> = <code>{String(value)}</code>{" "}
                </span>
              ))}
            </p>
          )}
        </section>
      ))}
    </Modal>
  );
}
