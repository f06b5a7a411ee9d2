import { Button, Tooltip } from "antd";
import { useEffect, useRef, useState } from "react";
import { type Turn, turnsOf, useAsking } from "../../state/asking";
import { BridgeTurn } from "./BridgeTurn";
import { WhoTurn } from "./WhoTurn";
import { WhyTurn } from "./WhyTurn";
import "./asking.css";

const NAMES: Record<Turn, string> = { why: "Why", who: "Who", bridge: "How it adds up" };

/** What is asked from anywhere: why, who, and how a figure adds up; with what was asked before, and an address. */
export function AskPanel() {
  const { asked, setTurn, back, forward, close } = useAsking();
  const [wider, setWider] = useState(false);
  const panel = useRef<HTMLElement>(null);
  const came = useRef<Element | null>(null);
  const open = asked !== null;
  useEffect(() => {
    if (!open) return;
    came.current = document.activeElement;
    panel.current?.focus();
    return () => {
      if (came.current instanceof HTMLElement) came.current.focus();
    };
  }, [open]);
  useEffect(() => {
    if (!open) return;
    const press = (event: KeyboardEvent) => {
      const within =
        event.target instanceof Element ? event.target.closest(".ant-modal, .ant-select-open, .ant-popover, .ant-picker") : null;
      if (event.key === "Escape" && !within) close();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [open, close]);
  if (!asked) return null;
  const { subject, turn } = asked;
  return (
    <aside
      ref={panel}
      className={`ask-panel ${wider ? "wider" : ""}`}
      aria-label={`Asked: ${subject.title}`}
      tabIndex={-1}
      data-testid="asking"
    >
      <header>
        <div className="row">
          <Tooltip title="what was asked before">
            <Button size="small" aria-label="Asked before" disabled={!back} onClick={() => back?.()}>
              ‹
            </Button>
          </Tooltip>
          <Button size="small" aria-label="Asked after" disabled={!forward} onClick={() => forward?.()}>
            ›
          </Button>
          <h2 className="cut grow" title={subject.title}>
            {subject.title}
          </h2>
          <Button size="small" type="text" aria-pressed={wider} onClick={() => setWider(!wider)}>
            {wider ? "narrower" : "wider"}
          </Button>
          <Button size="small" type="text" aria-label="Close" onClick={close}>
            ×
          </Button>
        </div>
        <div className="tabs above-6">
          <div role="tablist" className="tablist">
            {turnsOf(subject).map((item) => (
              <button key={item} type="button" role="tab" aria-selected={turn === item} onClick={() => setTurn(item)}>
                {NAMES[item]}
              </button>
            ))}
          </div>
        </div>
      </header>
      <div className="ask-body">
        {turn === "why" && subject.why && <WhyTurn about={subject.why} />}
        {turn === "who" && subject.who && <WhoTurn about={subject.who} title={subject.title} />}
        {turn === "bridge" && subject.bridge && <BridgeTurn about={subject.bridge} title={subject.title} />}
      </div>
    </aside>
  );
}
