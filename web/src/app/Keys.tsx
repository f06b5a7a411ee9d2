import { useQuery } from "@tanstack/react-query";
import { Modal } from "antd";
import { useEffect, useState } from "react";
import { useLocation } from "react-router-dom";
import { queries } from "../api/queries";
import { isTyping } from "../state/keys";

const KEYS: [string, string][] = [
  ["Ctrl K", "find a person, role, table, page or action"],
  ["0", "look at all the data"],
  ["1 to 4", "look as that pinned viewer"],
  ["y", "ask about what is pointed at or focused: why, who, how it adds up"],
  ["arrows", "from one cell that can be asked about to the next"],
  ["Ctrl S", "save what is edited in the draft"],
  ["Ctrl Z", "undo the last edit"],
  ["Ctrl Shift Z, Ctrl Y", "redo it"],
  ["Ctrl Space", "names and values, in the text of a condition"],
  ["Tab, Shift Tab", "to the next or the last thing on the screen"],
  ["Esc", "close what is open"],
  ["?", "this list, and the manual"],
];

/** Where the manual tells of a screen that has no part of its own name there. */
const TOLD_AT: Record<string, string> = { combine: "roles", statement: "reach", my: "my-pages", me: "my-account" };

/** The list of keys, under `?`, and the way to what the manual says of the screen. */
export function Keys() {
  const [open, setOpen] = useState(false);
  const session = useQuery(queries.session());
  const screen = useLocation().pathname.split("/")[1] ?? "";
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.key === "?" && !event.ctrlKey && !event.metaKey && !isTyping(event.target)) setOpen(true);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
  return (
    <Modal open={open} title="Keys" footer={null} width={460} onCancel={() => setOpen(false)}>
      {session.data?.manual && (
        <p className="below-8">
          In the manual: <Told to={`screens.html#${TOLD_AT[screen] ?? screen}`}>this screen</Told>,{" "}
          <Told to="sentences.html">each kind of sentence by example</Told>, <Told to="first-day.html">the first day</Told>.
        </p>
      )}
      <table className="data">
        <tbody>
          {KEYS.map(([key, does]) => (
            <tr key={key}>
              <td>
                <kbd>{key}</kbd>
              </td>
              <td className="wraps">{does}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="soft small">With ⌘ in the place of Ctrl where there is one. While text is written, keys write.</p>
    </Modal>
  );
}

function Told({ to, children }: { to: string; children: string }) {
  return (
    <a href={`/manual/${to}`} target="moorland-manual" rel="noreferrer">
      {children}
    </a>
  );
}
