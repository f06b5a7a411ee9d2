import { useQuery } from "@tanstack/react-query";
import { Button, DatePicker } from "antd";
import dayjs from "dayjs";
import { useState } from "react";
import { Link } from "react-router-dom";
import { api, data, type Schemas } from "../../../api/client";
import { queries } from "../../../api/queries";
import { useRights } from "../../../state/rights";
import { ConfirmImpact } from "../../../ui/ConfirmImpact";
import { plural } from "../../../ui/figures";
import { Notice } from "../../../ui/Notice";

type Mover = Schemas["Mover"];

/** People who are elsewhere than on a day: what they held and hold, and what only the old place gave. */
export function Movers() {
  const [since, setSince] = useState(dayjs().subtract(30, "day").format("YYYY-MM-DD"));
  const found = useQuery(queries.movers(since));
  const { may } = useRights();
  const [taking, setTaking] = useState<Mover | null>(null);
  return (
    <section aria-label="Movers">
      <div className="row below-8 wrap">
        <h2>Movers</h2>
        <span className="soft">whose organization, groups or attributes are otherwise since</span>
        <DatePicker
          aria-label="Since which day"
          allowClear={false}
          value={dayjs(since)}
          maxDate={dayjs().subtract(1, "day")}
          onChange={(day) => day && setSince(day.format("YYYY-MM-DD"))}
        />
      </div>
      {found.isError && <Notice kind="careful">{found.error.message} Choose a later day.</Notice>}
      {found.data && found.data.movers.length === 0 && <p className="soft">Nobody moved since {since}.</p>}
      {found.data && found.data.movers.length > 0 && (
        <table className="data" aria-label="People who moved">
          <thead>
            <tr>
              <th>person</th>
              <th>what is otherwise</th>
              <th>roles gained</th>
              <th>roles lost</th>
              <th>still held, by the old place only</th>
            </tr>
          </thead>
          <tbody>
            {found.data.movers.map((mover) => {
              const kept = [...(mover.kept_groups ?? []), ...(mover.kept_roles ?? [])];
              return (
                <tr key={mover.login}>
                  <td>
                    <Link to={`/people/${encodeURIComponent(mover.login)}`}>{mover.name}</Link>
                  </td>
                  <td className="wraps">{mover.changes.join("; ")}</td>
                  <td className="wraps">{mover.gained.join(", ") || <span className="soft">none</span>}</td>
                  <td className="wraps">{mover.lost.join(", ") || <span className="soft">none</span>}</td>
                  <td className="wraps">
                    {kept.length === 0 ? (
                      <span className="soft">nothing</span>
                    ) : (
                      <>
                        <span className="warn">{kept.join(", ")}</span>{" "}
                        {may("people") && (mover.kept_groups ?? []).length > 0 && (
                          <Button size="small" onClick={() => setTaking(mover)}>
                            Take {plural((mover.kept_groups ?? []).length, "membership")} away…
                          </Button>
                        )}
                        {(mover.kept_roles ?? []).length > 0 && (
                          <Link className="after-6" to={`/people/${encodeURIComponent(mover.login)}`}>
                            roles mapped in person: on their card
                          </Link>
                        )}
                      </>
                    )}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      {taking && (
        <ConfirmImpact
          title={`Take away from ${taking.name} what only the old place gave?`}
          danger
          send={(onlyTry) =>
            data(
              api.POST("/api/acts", {
                params: { query: { try: onlyTry } },
                body: { change_people: { logins: [taking.login], leave: taking.kept_groups } },
              }),
            )
          }
          close={() => setTaking(null)}
        >
          <p>They leave {taking.kept_groups.join(", ")}, which nobody else in the new place is in.</p>
        </ConfirmImpact>
      )}
    </section>
  );
}
