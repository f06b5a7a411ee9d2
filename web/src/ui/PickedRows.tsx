import { Button } from "antd";
import { useNavigate } from "react-router-dom";
import type { Role } from "../api/client";
import { useAsking } from "../state/asking";
import "./rows-view.css";

type Props = { model: string; table: string; where: string; title: string; none: () => void };

/** What can be done with rows that were chosen, one by one or by values: who may see them, or a role that opens just these. */
export function PickedRows({ model, table, where, title, none }: Props) {
  const asking = useAsking();
  const navigate = useNavigate();
  const role: Role = { name: "", kind: "grant", model, sentences: [{ rows: { table, where } }] };
  return (
    <div className="row wrap picked">
      <b>{title}</b>
      <Button size="small" onClick={() => asking.ask({ title, who: { model, table, where } }, "who")}>
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
