import type { Schemas } from "../../api/client";
import { useRights } from "../../state/rights";
import { Coverage } from "./Coverage";
import { GuidedStart } from "./GuidedStart";
import { Waiting } from "./Waiting";
import "./overview.css";

/** Is it safe, and what is waiting: the first look of the day. */
export default function OverviewScreen({ session }: { session: Schemas["SessionAnswer"] }) {
  const { may, everywhere } = useRights();
  return (
    <div className="pad">
      <h2>{session.workspace}</h2>
      {session.demo.length > 0 && everywhere("checks") && <GuidedStart />}
      <div className="overview">
        <Waiting />
        {may("look-shapes") && <Coverage />}
      </div>
    </div>
  );
}
