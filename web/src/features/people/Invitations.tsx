import { useMutation } from "@tanstack/react-query";
import { Button, Modal } from "antd";
import { api, data } from "../../api/client";
import { savedAs } from "../../ui/csv";
import { plural } from "../../ui/figures";
import { Notice } from "../../ui/Notice";

/** Links for many: a list to hand out, or each to their own mail. */
export function Invitations({ logins, close }: { logins: string[]; close: () => void }) {
  const make = useMutation({ mutationFn: (mail: boolean) => data(api.POST("/api/invitations", { body: { logins, mail } })) });
  const people = make.data?.people ?? [];
  const address = (path: string | null | undefined) => (path ? `${window.location.origin}${path}` : "");
  const save = () =>
    savedAs(
      "links",
      ["login", "name", "link", "until"],
      people.map((item) => [item.login, item.name, address(item.path), item.expires_at ?? ""]),
    );
  return (
    <Modal open width={720} title={`Links for ${plural(logins.length, "person", "people")}`} footer={null} onCancel={close}>
      {make.isError && <Notice kind="bad">{make.error.message}</Notice>}
      {!make.data && (
        <>
          <p>Each link sets a password once, within seven days. Links made before stop working.</p>
          <p className="row">
            <Button type="primary" loading={make.isPending} onClick={() => make.mutate(false)}>
              A list to hand out
            </Button>
            <Button loading={make.isPending} onClick={() => make.mutate(true)}>
              By mail to each
            </Button>
          </p>
        </>
      )}
      {make.data && (
        <>
          <Notice kind="careful">
            <b>Shown this one time.</b> {people.filter((item) => item.path).length} to hand out,{" "}
            {people.filter((item) => item.mailed_to).length} sent by mail, {people.filter((item) => item.refused).length} refused.
          </Notice>
          <div className="low-420 scroll">
            <table className="data">
              <tbody>
                {people.map((item) => (
                  <tr key={item.login}>
                    <td>
                      {item.name} <span className="soft">{item.login}</span>
                    </td>
                    <td className="wraps">
                      {item.path && <code className="breaks-anywhere">{address(item.path)}</code>}
                      {item.mailed_to && `sent to ${item.mailed_to}`}
                      {item.refused && <span className="warn">{item.refused}</span>}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
          <p className="above-10">
            <Button onClick={save}>Save the list as CSV</Button>
          </p>
        </>
      )}
    </Modal>
  );
}
