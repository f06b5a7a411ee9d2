import { Button } from "antd";
import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import type { Buildable } from "./buildable";
import { ExhibitForm } from "./ExhibitForm";
import { freshExhibit, moved, slotWidth } from "./exhibits";
import "./exhibits.css";

type Exhibit = Schemas["Exhibit"];

type SlotsProps = {
  model: Buildable | undefined;
  exhibits: Exhibit[];
  chosen: number | null;
  choose: (place: number) => void;
  onChange: (exhibits: Exhibit[]) => void;
  /** An exhibit with its data, as it stands now. */
  live: (exhibit: Exhibit, place: number) => ReactNode;
};

/** The exhibits of a page that is being written, on their grid with their data; one of them chosen. */
export function ExhibitSlots({ model, exhibits, chosen, choose, onChange, live }: SlotsProps) {
  return (
    <>
      <div className="exhibits">
        {exhibits.map((exhibit, place) => (
          <div key={place} className={`exhibit-slot ${place === chosen ? "on" : ""} ${slotWidth(exhibit)}`}>
            {live(exhibit, place)}
            <button
              type="button"
              className="slot-button"
              aria-pressed={place === chosen}
              aria-label={`Edit ${exhibit.title}`}
              onClick={() => choose(place)}
            />
          </div>
        ))}
      </div>
      {exhibits.length === 0 && model && (
        <p className="soft">Nothing on the page yet: add a figure, a chart or a list, and its data stands here at once.</p>
      )}
      <p className="above-10">
        <Button
          disabled={!model}
          onClick={() => {
            if (!model) return;
            onChange([...exhibits, freshExhibit(model)]);
            choose(exhibits.length);
          }}
        >
          + exhibit
        </Button>
      </p>
    </>
  );
}

type SideProps = {
  model: Buildable | undefined;
  exhibits: Exhibit[];
  chosen: number | null;
  choose: (place: number | null) => void;
  onChange: (exhibits: Exhibit[]) => void;
  /** For a reader: what only a page of a release has is left out. */
  own?: boolean;
  /** The form of the page itself. */
  children: ReactNode;
};

/** Beside the grid: the form of the chosen exhibit, or of the page. */
export function ExhibitSide({ model, exhibits, chosen, choose, onChange, own, children }: SideProps) {
  const current = chosen === null ? undefined : exhibits[chosen];
  return (
    <>
      <div className="tabs small">
        <div role="tablist" className="tablist">
          <button
            type="button"
            role="tab"
            aria-selected={current !== undefined}
            disabled={exhibits.length === 0}
            onClick={() => choose(chosen ?? 0)}
          >
            exhibit
          </button>
          <button type="button" role="tab" aria-selected={current === undefined} onClick={() => choose(null)}>
            page
          </button>
        </div>
      </div>
      {current && model && chosen !== null ? (
        <ExhibitForm
          key={chosen}
          model={model}
          exhibit={current}
          own={own}
          onChange={(next) => onChange(exhibits.map((item, index) => (index === chosen ? next : item)))}
          onRemove={() => {
            choose(exhibits.length > 1 ? Math.max(0, chosen - 1) : null);
            onChange(exhibits.filter((_, index) => index !== chosen));
          }}
          onCopy={() => {
            onChange([...exhibits.slice(0, chosen + 1), current, ...exhibits.slice(chosen + 1)]);
            choose(chosen + 1);
          }}
          onMove={(by) => {
            const next = moved(exhibits, chosen, by);
            if (next === exhibits) return;
            onChange(next);
            choose(chosen + by);
          }}
        />
      ) : (
        children
      )}
    </>
  );
}
