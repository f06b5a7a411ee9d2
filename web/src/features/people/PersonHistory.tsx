import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { queries } from "../../api/queries";
import { Notice } from "../../ui/Notice";

/** What somebody held when, newest first; asked for only when it is opened. */
export function PersonHistory({ login }: { login: string }) {
  const [open, setOpen] = useState(false);
  const found = useQuery({ ...queries.personHistory(login), enabled: open });
  return (
    <details className="above-12" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>What they held when</summary>
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {found.data && (
        <>
          <table className="data" aria-label="What they held when">
            <thead>
              <tr>
                <th>what</th>
                <th>from</th>
                <th>until</th>
                <th>by</th>
              </tr>
            </thead>
            <tbody>
              {found.data.held.map((item) => (
                <tr key={`${item.kind} ${item.name} ${item.value} ${item.since} ${item.until}`} className={item.until ? "soft" : ""}>
                  <td className="wraps">
                    {item.kind} {item.name && <b>{item.name}</b>} {item.value !== "member" && item.value}
                  </td>
                  <td>{item.since ?? "before"}</td>
                  <td>{item.until ?? "now"}</td>
                  <td className="wraps small">{item.by && `${item.by}: ${item.act}`}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="soft small">Remembered since {found.data.remembered_since}; a day counts as it ended.</p>
        </>
      )}
    </details>
  );
}
