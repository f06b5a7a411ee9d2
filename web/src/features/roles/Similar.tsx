import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Modal } from "antd";
import { memo, useState } from "react";
import { useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";
import { Words } from "./CompareLive";

/** Roles that differ in one value only are pointed out, with the one role that would replace them. */
export const Similar = memo(function Similar({ wanted }: { wanted: boolean }) {
  const [shown, setShown] = useState<Schemas["Suggestion"] | null>(null);
  const similar = useQuery({ ...queries.similar(), enabled: wanted });
  const found = similar.data?.suggestions ?? [];
  if (found.length === 0) return null;
  return (
    <>
      <h3>Alike</h3>
      {found.map((item) => (
        <button key={item.roles.map((role) => role.name).join()} type="button" className="textlink small" onClick={() => setShown(item)}>
          {item.roles.length} roles differ only in {item.column}
        </button>
      ))}
      {shown && <Suggested suggestion={shown} close={() => setShown(null)} />}
    </>
  );
});

function Suggested({ suggestion, close }: { suggestion: Schemas["Suggestion"]; close: () => void }) {
  const changed = useChanged();
  const navigate = useNavigate();
  const { message } = App.useApp();
  const replace = useMutation({
    mutationFn: () => data(api.POST("/api/similar/replace", { body: { roles: suggestion.roles.map((role) => role.name) } })),
    onSuccess: async (made) => {
      await changed("roles", "people");
      message.success("Written into the draft. The old roles stay live until the next release.");
      navigate(`/roles/${encodeURIComponent(made.role.name)}`);
      close();
    },
  });
  const sentence = suggestion.role.sentences ?? [];
  return (
    <Modal
      open
      width={680}
      title={`One role in place of ${suggestion.roles.length}`}
      onCancel={close}
      okText="Write it into the draft"
      okButtonProps={{ loading: replace.isPending }}
      onOk={() => replace.mutate()}
    >
      <p>These roles say the same but for the values of {suggestion.column}:</p>
      <table className="data">
        <tbody>
          {suggestion.roles.map((role) => (
            <tr key={role.name}>
              <td>{role.label}</td>
              <td>{role.values.map(String).join(", ")}</td>
              <td className="number">{plural(role.holders, "person", "people")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <h3>In their place</h3>
      {sentence.map((item, index) => (
        <div key={index} className="sentence">
          <Words sentence={item} limit={suggestion.role.kind === "limit"} />
        </div>
      ))}
      {suggestion.new ? (
        <p>
          A new attribute <code>{suggestion.attribute}</code> is made, with values on{" "}
          {(suggestion.new_values ?? []).map((item) => `${item.group ?? item.user}: ${item.values.map(String).join(", ")}`).join("; ")}.
        </p>
      ) : (
        <p>
          The attribute <code>{suggestion.attribute}</code> decides; it has the right values already.
        </p>
      )}
      <Notice kind="good">
        Proved on the draft: for {plural(suggestion.people, "person", "people")} no row, cell, object or page changes.
      </Notice>
      {replace.isError && <Notice kind="bad">{replace.error.message}</Notice>}
    </Modal>
  );
}
