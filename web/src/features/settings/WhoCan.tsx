import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { useState } from "react";
import { Link } from "react-router-dom";
import type { Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { type Act, actLabel } from "../../state/rights";
import { Notice } from "../../ui/Notice";

/** Who can do this: an act, over a person, a model or a role. */
export function WhoCan({ acts, answer }: { acts: Schemas["ActEntry"][]; answer: Schemas["DutiesAnswer"] }) {
  const people = usePeople();
  const [act, setAct] = useState<Act | null>(null);
  const [person, setPerson] = useState<string | undefined>();
  const [thing, setThing] = useState<string | undefined>();
  const dimensions = acts.find((item) => item.name === act)?.dimensions ?? [];
  const kind = dimensions.includes("models")
    ? "model"
    : dimensions.includes("roles")
      ? "role"
      : dimensions.includes("shelves")
        ? "shelf"
        : null;
  const things = kind === "model" ? answer.models : kind === "role" ? answer.roles : kind === "shelf" ? answer.shelves : {};
  const body = {
    act: act ?? "people",
    person: dimensions.includes("people") ? (person ?? null) : null,
    ...(kind && thing ? { [kind]: thing } : {}),
  } as Schemas["WhoCanRequest"];
  const found = useQuery({ ...queries.whoCan(body), enabled: act !== null });
  return (
    <section className="who-can" aria-label="Who can do this?">
      <h3>Who can do this?</h3>
      <div className="row wrap">
        <Select
          aria-label="Act"
          placeholder="choose what"
          className="wide-240"
          value={act}
          onChange={(next: Act) => {
            setAct(next);
            setThing(undefined);
          }}
          options={acts.map((item) => ({ value: item.name, label: actLabel(item.name) }))}
        />
        {dimensions.includes("people") && (
          <>
            <span className="soft">for</span>
            <Select
              showSearch
              allowClear
              aria-label="For whom"
              placeholder="all people"
              className="wide-240"
              optionFilterProp="label"
              value={person}
              onChange={setPerson}
              options={(people.data?.people ?? []).map((item) => ({ value: item.login, label: `${item.name} · ${item.login}` }))}
            />
          </>
        )}
        {kind && (
          <>
            <span className="soft">on the {kind}</span>
            <Select
              showSearch
              allowClear
              aria-label={`Which ${kind}`}
              placeholder="any"
              className="wide-240"
              optionFilterProp="label"
              value={thing}
              onChange={setThing}
              options={Object.entries(things).map(([value, label]) => ({ value, label }))}
            />
          </>
        )}
      </div>
      {found.isError && <Notice kind="bad">{found.error.message}</Notice>}
      {act && found.data && (
        <ul data-testid="who-can">
          {found.data.accounts.length === 0 && <li>Nobody.</li>}
          {found.data.accounts.map((account) => (
            <li key={account.login}>
              <Link to={`/settings/duties?of=${encodeURIComponent(account.login)}`}>{account.name}</Link> <code>{account.login}</code>{" "}
              <span className="soft">
                {account.path.length > 0 ? `through ${account.path.join(" › ")}` : "given in person"}
                {!account.can_sign_in && " · cannot sign in"}
              </span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
