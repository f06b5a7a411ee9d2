import { useMutation, useQuery } from "@tanstack/react-query";
import { App, Button, Dropdown, Form, Modal, Select } from "antd";
import { useState } from "react";
import { api, data, type Schemas } from "../../api/client";
import { queries, useChanged } from "../../api/queries";
import { usePeople } from "../../state/directory";
import { Empty, Notice } from "../../ui/Notice";
import { when } from "../../ui/when";

type Entry = Schemas["ReaderPageEntry"];
type Keeping = Omit<Schemas["ReaderPageKeeping"], "version">;

/** Pages that readers made, for who keeps the pages of their shelves: taken back, tagged, given another maker, deleted. */
export function ReadersPages({ shelves }: { shelves: Schemas["ShelfEntry"][] }) {
  const changed = useChanged();
  const { message, modal } = App.useApp();
  const found = useQuery(queries.readersPages());
  const [keeping, setKeeping] = useState<Entry | null>(null);
  const keep = useMutation({
    mutationFn: ({ entry, change }: { entry: Entry; change: Keeping }) =>
      data(api.PUT("/api/readers-pages/{page}", { params: { path: { page: entry.name } }, body: { ...change, version: entry.version } })),
    onSuccess: async () => {
      setKeeping(null);
      await changed("pages");
      message.success("Done; it acts at once.");
    },
    onError: () => changed("pages"),
  });
  const remove = (entry: Entry) =>
    modal.confirm({
      title: `Delete ${entry.label}?`,
      content: entry.maker ? `${entry.maker_name ?? entry.maker} loses it, and so does everybody who reads it.` : "It is nobody's.",
      okText: "Delete the page",
      okButtonProps: { danger: true },
      onOk: async () => {
        try {
          const query = { version: entry.version };
          await data(api.DELETE("/api/readers-pages/{page}", { params: { path: { page: entry.name }, query } }));
        } catch (error) {
          message.error((error as Error).message);
        }
        await changed("pages");
      },
    });
  if (found.isError) return <Notice kind="bad">{found.error.message}</Notice>;
  if (!found.data) return <p className="soft">Reading…</p>;
  if (found.data.pages.length === 0) {
    return (
      <Empty title="Readers have made no pages yet">
        <p>
          A pages sentence with “create”, “edit” and “publish” on a shelf lets people make pages of their own there, from what they see.
        </p>
      </Empty>
    );
  }
  const titles = new Map(shelves.map((shelf) => [shelf.name, shelf.label]));
  return (
    <>
      <p className="soft">
        They stand beside the releases: what is published is seen by whoever may open pages on its shelf, each by their own roles. What is
        on them is their maker’s; sentences read the tags and the owner set here.
      </p>
      {keep.isError && !keeping && <Notice kind="bad">{keep.error.message}</Notice>}
      <table className="data">
        <thead>
          <tr>
            <th>page</th>
            <th>made by</th>
            <th>shelf</th>
            <th>seen by others</th>
            <th className="number">exhibits</th>
            <th>tags</th>
            <th>owner</th>
            <th>
              <span className="visually-hidden">acts</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {found.data.pages.map((entry) => (
            <tr key={entry.name}>
              <td>{entry.label}</td>
              <td>{entry.maker_name ?? entry.maker ?? <span className="warn">nobody: the account is gone</span>}</td>
              <td>{titles.get(entry.shelf) ?? entry.shelf}</td>
              <td>{entry.published_at ? `since ${when(entry.published_at)}` : <span className="soft">no</span>}</td>
              <td className="number">{entry.exhibits}</td>
              <td>{entry.tags.join(", ") || <span className="soft">–</span>}</td>
              <td>{entry.owner ?? <span className="soft">–</span>}</td>
              <td>
                <Dropdown
                  trigger={["click"]}
                  menu={{
                    items: [
                      { key: "keep", label: "Tags, owner, maker…", onClick: () => setKeeping(entry) },
                      {
                        key: "back",
                        label: "Take back",
                        disabled: !entry.published_at,
                        onClick: () => keep.mutate({ entry, change: { published: false } }),
                      },
                      { key: "delete", label: "Delete…", danger: true, onClick: () => remove(entry) },
                    ],
                  }}
                >
                  <Button size="small" type="text" aria-label={`Acts on ${entry.label}`}>
                    ⋯
                  </Button>
                </Dropdown>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {keeping && (
        <Keep
          entry={keeping}
          busy={keep.isPending}
          error={keep.isError ? keep.error.message : null}
          save={(change) => keep.mutate({ entry: keeping, change })}
          close={() => {
            setKeeping(null);
            keep.reset();
          }}
        />
      )}
    </>
  );
}

type KeepProps = { entry: Entry; busy: boolean; error: string | null; save: (change: Keeping) => void; close: () => void };

function Keep({ entry, busy, error, save, close }: KeepProps) {
  const people = usePeople();
  const [form] = Form.useForm<{ tags: string[]; owner?: string; maker?: string }>();
  const options = people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }));
  return (
    <Modal open title={entry.label} okText="Save" okButtonProps={{ loading: busy }} onOk={() => form.submit()} onCancel={close}>
      <Form
        form={form}
        layout="vertical"
        initialValues={{ tags: entry.tags, owner: entry.owner ?? undefined, maker: entry.maker ?? undefined }}
        onFinish={(values) =>
          save({
            tags: values.tags,
            owner: values.owner ?? "",
            ...(values.maker && values.maker !== entry.maker ? { maker: values.maker } : {}),
          })
        }
      >
        <Form.Item label="Tags" name="tags" extra="Sentences about pages read them: a tag can open the page to more people.">
          <Select mode="tags" aria-label="Tags" />
        </Form.Item>
        <Form.Item label="Owner" name="owner" extra="As sentences read it; it is not who writes the page.">
          <Select showSearch allowClear aria-label="Owner" optionFilterProp="label" placeholder="nobody" options={options} />
        </Form.Item>
        <Form.Item
          label="Made by"
          name="maker"
          extra="Who goes on writing it, from what exists for them: exhibits they could not write themselves are left out, earlier versions go."
        >
          <Select showSearch aria-label="Made by" optionFilterProp="label" placeholder="nobody" options={options} />
        </Form.Item>
      </Form>
      {error && <Notice kind="bad">{error}</Notice>}
    </Modal>
  );
}
