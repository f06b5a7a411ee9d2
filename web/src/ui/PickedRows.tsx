import { Button } from "antd";
import { useNavigate } from "react-router-dom";
import type { ModelAnswer, Role } from "../api/client";
import { useAsking } from "../state/asking";
import { columnType, literal } from "./conditions/clauses";
import { plural } from "./figures";

type Props = { model: ModelAnswer; table: string; keyColumn: string; picked: (string | number)[]; none: () => void };

/** What can be done with rows that were chosen: who may see them, or a role that opens just these. */
export function PickedRows({ model, table, keyColumn, picked, none }: Props) {
  const asking = useAsking();
  const navigate = useNavigate();
  const type = columnType(model.document, table, keyColumn);
  const where = `${keyColumn} IN (${picked.map((value) => literal(value, type)).join(", ")})`;
  const role: Role = { name: "", kind: "grant", model: model.document.name, sentences: [{ rows: { table, where } }] };
  return (
    <div className="row wrap picked">
      <b>{plural(picked.length, "row")} chosen</b>
      <Button
        size="small"
        onClick={() =>
          asking.ask({ title: `${plural(picked.length, "row")} of ${table}`, who: { model: model.document.name, table, where } }, "who")
        }
      >
        Who may see these
      </Button>
      <Button size="small" onClick={() => navigate("/roles", { state: { create: role } })}>
        Make a role that opens just these…
      </Button>
      <button type="button" className="textlink" onClick={none}>
        none
      </button>
    </div>
  );
}
