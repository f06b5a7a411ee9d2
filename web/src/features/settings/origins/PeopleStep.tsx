import { Input } from "antd";
import { Notice } from "../../../ui/Notice";
import { Offered } from "../../../ui/Offered";
import { Home } from "./Home";
import { type Directory, entryValues, type Setting, type Tried } from "./writing";

type Field = "key" | "login" | "name" | "email" | "organization";

const FIELDS: { field: Field; label: string; hint: string }[] = [
  { field: "key", label: "Known again by", hint: "stays when somebody is renamed or moved" },
  { field: "login", label: "Login", hint: "" },
  { field: "name", label: "Name", hint: "" },
  { field: "email", label: "E-mail", hint: "blank: not said by it" },
  { field: "organization", label: "Organization", hint: "an organization here, by name or label" },
];

/** Where people are, and which attribute says what, beside real entries. */
export function PeopleStep({ text, set, there }: { text: Directory; set: Setting; there: Tried | undefined }) {
  const own = text.people;
  const change = (part: Partial<Directory["people"]>) => set({ people: { ...own, ...part } });
  const names = there?.attributes ?? [];
  const found = there?.people ?? [];
  return (
    <>
      <div className="answers">
        <label htmlFor="people-base">Base</label>
        <Offered
          id="people-base"
          autoFocus
          className="mono"
          placeholder="ou=people,dc=example,dc=org"
          value={own.base}
          offers={there?.bases ?? []}
          change={(base) => change({ base })}
        />
        <label htmlFor="people-filter">Filter</label>
        <Input id="people-filter" className="mono" value={own.filter ?? ""} onChange={(event) => change({ filter: event.target.value })} />
        {FIELDS.map(({ field, label, hint }) => (
          <div key={field} className="answer">
            <label htmlFor={`people-${field}`}>{label}</label>
            <div className="row">
              <Offered
                id={`people-${field}`}
                className="wide-220 mono"
                value={own[field] ?? ""}
                offers={names}
                change={(value) => change({ [field]: value })}
              />
              <span className="soft small">{hint}</span>
            </div>
          </div>
        ))}
        <Home id="people-home" home={text.home ?? null} change={(home) => set({ home })} />
      </div>
      {there?.reached && own.base !== "" && (
        <>
          <h3 className="above-14">What is there</h3>
          <Notice kind={there.count ? ((there.problems ?? []).length > 0 ? "careful" : "good") : "careful"}>
            {there.message} {(there.problems ?? []).join(" ")}
          </Notice>
          {found.length > 0 && (
            <div className="scrolls">
              <table className="data" aria-label="Real entries">
                <thead>
                  <tr>
                    <th>login</th>
                    <th>name</th>
                    <th>e-mail</th>
                    <th>organization</th>
                    <th>entry</th>
                  </tr>
                </thead>
                <tbody>
                  {found.map((entry) => (
                    <tr key={entry.where}>
                      {(["login", "name", "email", "organization"] as const).map((field) => (
                        <td key={field}>{entryValues(entry, own[field])[0] ?? <span className="warn">none</span>}</td>
                      ))}
                      <td className="mono small">{entry.where}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            </div>
          )}
        </>
      )}
    </>
  );
}
