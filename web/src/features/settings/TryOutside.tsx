import { useMutation } from "@tanstack/react-query";
import { Button, Drawer, Input, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { usePeople } from "../../state/directory";
import { Notice } from "../../ui/Notice";
import { PageView } from "../../ui/PageView";

type Value = string | number | boolean | (string | number | boolean)[];

/** A page as somebody an issuer vouches for would have it, beside the same page as an administrator has it. */
export function TryOutside({ entry, close }: { entry: Schemas["IssuerEntry"]; close: () => void }) {
  const people = usePeople();
  const { text } = entry;
  const [page, setPage] = useState(text.pages[0] ?? "");
  const [sub, setSub] = useState("somebody");
  const [groups, setGroups] = useState<string[]>(text.groups ?? []);
  const [values, setValues] = useState<Record<string, string>>({});
  const tried = useMutation({
    mutationFn: () =>
      data(
        api.POST("/api/settings/issuers/{name}/try", {
          params: { path: { name: text.name } },
          body: { page, sub, groups, attributes: said() },
        }),
      ),
  });
  const said = (): Record<string, Value> => {
    const found: Record<string, Value> = {};
    for (const { attribute } of text.attributes ?? []) {
      const written = values[attribute]?.trim();
      if (!written) continue;
      const definition = people.data?.attributes.find((item) => item.name === attribute);
      const parts = definition?.multiple ? written.split(",").map((part) => part.trim()) : [written];
      const typed = parts.map((part) =>
        definition?.type === "integer" || definition?.type === "number"
          ? Number(part)
          : definition?.type === "boolean"
            ? part === "true"
            : part,
      );
      found[attribute] = definition?.multiple ? typed : (typed[0] as Value);
    }
    return found;
  };
  const answer = tried.data;
  return (
    <Drawer open width="94%" onClose={close} title={`Try ${text.label || text.name} for somebody imagined`}>
      <form
        className="row wrap below-8"
        onSubmit={(event) => {
          event.preventDefault();
          tried.mutate();
        }}
      >
        <Select aria-label="Page" className="least-180" value={page} onChange={setPage} options={text.pages.map((value) => ({ value }))} />
        <Input aria-label="Who (sub)" className="wide-160" prefix="sub" value={sub} onChange={(event) => setSub(event.target.value)} />
        <Select
          aria-label="Groups"
          className="least-180"
          mode="multiple"
          placeholder="no groups"
          value={groups}
          onChange={setGroups}
          options={(text.groups ?? []).map((value) => ({ value }))}
        />
        {(text.attributes ?? []).map((item) => (
          <Input
            key={item.attribute}
            aria-label={item.attribute}
            className="wide-240"
            prefix={item.attribute}
            value={values[item.attribute] ?? ""}
            onChange={(event) => setValues({ ...values, [item.attribute]: event.target.value })}
          />
        ))}
        <Button type="primary" htmlType="submit" loading={tried.isPending} disabled={!page || !sub.trim()}>
          Show the page
        </Button>
      </form>
      {tried.isError && <Notice kind="bad">{tried.error.message}</Notice>}
      {answer?.refused && <Notice kind="careful">This token is refused: {answer.refused}.</Notice>}
      {answer && (
        <details className="below-8">
          <summary>The token, as the issuer would sign it (this one is good nowhere)</summary>
          <code className="breaks-anywhere">{answer.token}</code>
        </details>
      )}
      {answer?.seen && answer.whole && (
        <div className="two-looks">
          <section aria-label="As they see it">
            <h3>As they see it{answer.roles.length > 0 && ` — ${answer.roles.join(", ")}`}</h3>
            <PageView page={answer.seen} narrow />
          </section>
          <section aria-label="As an administrator sees it">
            <h3>With all data</h3>
            <PageView page={answer.whole} narrow />
          </section>
        </div>
      )}
    </Drawer>
  );
}
