import { useMutation } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { DoorKeyForm } from "../../ui/DoorKeyForm";
import { when } from "../../ui/when";

/** One's own keys of the query door: made, and ended at once. */
export function DoorKeys({ door }: { door: Schemas["OwnDoor"] }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [making, setMaking] = useState(false);
  const end = useMutation({
    mutationFn: (key: number) => data(api.DELETE("/api/my/door/keys/{key}", { params: { path: { key } } })),
    onSuccess: async () => {
      await changed();
      message.success("The door key has ended, and so has what it opened.");
    },
    onError: (error) => message.error(error.message),
  });
  if (!door.allowed) return <p className="soft">Your organization does not come in by the query door.</p>;
  return (
    <>
      {!door.open && <p className="soft">The query door of this server is closed; door keys can be made, and open it once it is open.</p>}
      {door.keys.length > 0 && (
        <table className="data" aria-label="Door keys">
          <tbody>
            {door.keys.map((key) => (
              <tr key={key.id}>
                <td>
                  <code>{key.name}</code>
                </td>
                <td className="soft">{key.expires_at ? `until ${when(key.expires_at)}` : "without end"}</td>
                <td className="soft">{key.last_used_at ? `last used ${when(key.last_used_at)}` : "never used"}</td>
                <td>
                  <Button size="small" aria-label={`End the door key ${key.name}`} onClick={() => end.mutate(key.id)}>
                    End
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <p>
        <Button size="small" onClick={() => setMaking(true)}>
          + door key
        </Button>
      </p>
      {making && <DoorKeyForm make={(body) => data(api.POST("/api/my/door", { body }))} close={() => setMaking(false)} />}
    </>
  );
}
