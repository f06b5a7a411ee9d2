import { useQuery } from "@tanstack/react-query";
import { Button, Input, type InputRef, Modal } from "antd";
import { useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router-dom";
import { queries } from "../api/queries";
import { usePeople, useRoles } from "../state/directory";
import { useModel, useWorkbench } from "../state/workbench";

type Found = { kind: string; label: string; detail: string; path: string };

const MOST = 12;
const SCREENS: Found[] = [
  ...["Models", "People", "Roles", "Pages", "Viewers", "Releases", "Trail"].map((label) => ({
    kind: "screen",
    label,
    detail: "",
    path: `/${label.toLowerCase()}`,
  })),
  { kind: "action", label: "Combine roles", detail: "what several open together", path: "/combine" },
  { kind: "action", label: "Who opens which page", detail: "grid", path: "/pages/grid/people" },
  { kind: "action", label: "Every pages sentence", detail: "list", path: "/pages/all/sentences" },
];

/** Everything that can be jumped to: people, roles, tables, pages and screens. */
function useEverything(open: boolean): Found[] {
  const bench = useWorkbench();
  const people = usePeople(open);
  const roles = useRoles(open);
  const model = useModel(undefined, open);
  const pages = useQuery({ ...queries.pages(bench.state), enabled: open });
  return useMemo(
    () => [
      ...SCREENS,
      ...(roles.data?.roles ?? []).map(({ role }) => ({
        kind: "role",
        label: role.label ?? role.name,
        detail: role.name,
        path: `/roles/${encodeURIComponent(role.name)}`,
      })),
      ...(model.data?.document.tables ?? []).map((table) => ({
        kind: "table",
        label: table.label ?? table.name,
        detail: table.name,
        path: `/models/table/${encodeURIComponent(table.name)}`,
      })),
      ...(pages.data?.shelves ?? []).flatMap((shelf) =>
        shelf.pages.map(({ page }) => ({
          kind: "page",
          label: page.label ?? page.name,
          detail: shelf.label,
          path: `/pages/${encodeURIComponent(page.name)}`,
        })),
      ),
      ...(people.data?.people ?? []).map((person) => ({
        kind: "person",
        label: person.name,
        detail: person.login,
        path: `/people/${encodeURIComponent(person.login)}`,
      })),
    ],
    [people.data, roles.data, pages.data, model.data],
  );
}

/** Ctrl+K jumps to any person, role, table, page or screen. */
export function Finder() {
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const field = useRef<InputRef>(null);
  const navigate = useNavigate();
  const everything = useEverything(open);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
        event.preventDefault();
        setOpen(true);
      }
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
  const wanted = text.trim().toLowerCase();
  const found = everything.filter((item) => `${item.label} ${item.detail} ${item.kind}`.toLowerCase().includes(wanted)).slice(0, MOST);
  const close = () => {
    setOpen(false);
    setText("");
    setAt(0);
  };
  const go = (item: Found | undefined) => {
    if (!item) return;
    close();
    navigate(item.path);
  };
  const move = (step: number) => setAt((at + step + found.length) % Math.max(found.length, 1));
  return (
    <>
      <Button onClick={() => setOpen(true)}>
        Find anything <span className="soft">Ctrl K</span>
      </Button>
      <Modal
        open={open}
        onCancel={close}
        footer={null}
        closable={false}
        width={520}
        afterOpenChange={(shown) => shown && field.current?.focus()}
        title="Find anything"
      >
        <Input
          ref={field}
          role="combobox"
          aria-label="Find anything"
          aria-expanded={true}
          aria-controls="found"
          placeholder="A person, role, table, page or screen"
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setAt(0);
          }}
          onKeyDown={(event) => {
            if (event.key === "ArrowDown") move(1);
            else if (event.key === "ArrowUp") move(-1);
            else if (event.key === "Enter") go(found[at]);
            else return;
            event.preventDefault();
          }}
        />
        <div id="found" role="listbox" aria-label="Found" className="above-8">
          {found.map((item, index) => (
            <button
              key={item.path}
              type="button"
              role="option"
              aria-selected={index === at}
              className={`found ${index === at ? "on" : ""}`}
              onClick={() => go(item)}
            >
              <span className="cut">{item.label}</span>
              <span className="soft small">
                {item.detail} · {item.kind}
              </span>
            </button>
          ))}
        </div>
        {found.length === 0 && <p className="soft">Nothing is called that.</p>}
      </Modal>
    </>
  );
}
