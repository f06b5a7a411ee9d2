import { useQuery } from "@tanstack/react-query";
import { Button, Input, type InputRef, Modal } from "antd";
import { type RefObject, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router-dom";
import { queries } from "../api/queries";
import { usePeople, useRoles } from "../state/directory";
import { SCREENS, useRights } from "../state/rights";
import { useModel, useWorkbench } from "../state/workbench";

type Found = { kind: string; label: string; detail: string; path: string };

const MOST = 12;
const PLACES: Found[] = [
  { kind: "action", label: "Combine roles", detail: "what several open together", path: "/combine" },
  { kind: "action", label: "Who opens which page", detail: "grid", path: "/pages/grid/people" },
  { kind: "action", label: "Every pages sentence", detail: "list", path: "/pages/all/sentences" },
];

/** Everything that can be jumped to: people, roles, tables, pages and screens. */
function useEverything(): Found[] {
  const bench = useWorkbench();
  const { may } = useRights();
  const people = usePeople();
  const roles = useRoles();
  const model = useModel();
  const pages = useQuery(queries.pages(bench.state));
  const screens = SCREENS.filter((screen) => may(...screen.acts));
  const named = useMemo(
    () => [
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
  return [
    ...screens.map(({ path, label }) => ({ kind: "screen", label, detail: "", path: `/${path}` })),
    ...(may("look-shapes") ? PLACES : []),
    ...named,
  ];
}

/** What is called like that: first what begins so, then what has a word that does, then what has it anywhere. */
export function nearest(everything: Found[], wanted: string): Found[] {
  const by: Found[][] = [[], [], []];
  for (const item of everything) {
    const label = item.label.toLowerCase();
    const named = `${label} ${item.detail.toLowerCase()}`;
    const place = label.startsWith(wanted) ? 0 : named.includes(` ${wanted}`) ? 1 : named.includes(wanted) ? 2 : 3;
    by[place]?.push(item);
  }
  return by.flat().slice(0, MOST);
}

/** Ctrl+K jumps to any person, role, table, page or screen. */
export function Finder() {
  const [open, setOpen] = useState(false);
  const field = useRef<InputRef>(null);
  const close = () => setOpen(false);
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
        destroyOnHidden
      >
        <Finding field={field} close={close} />
      </Modal>
    </>
  );
}

/** What is typed, and what is called so; nothing is gathered before it is open. */
function Finding({ field, close }: { field: RefObject<InputRef | null>; close: () => void }) {
  const [text, setText] = useState("");
  const [at, setAt] = useState(0);
  const navigate = useNavigate();
  const everything = useEverything();
  const wanted = text.trim().toLowerCase();
  const found = nearest(everything, wanted);
  const go = (item: Found | undefined) => {
    if (!item) return;
    close();
    navigate(item.path);
  };
  const move = (step: number) => setAt((at + step + found.length) % Math.max(found.length, 1));
  return (
    <>
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
              {item.detail && `${item.detail} · `}
              {item.kind}
            </span>
          </button>
        ))}
      </div>
      {found.length === 0 && <p className="soft">Nothing is called that.</p>}
    </>
  );
}
