import { useMutation } from "@tanstack/react-query";
import { Form, Input, Modal, Select } from "antd";
import { useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { useWorkbench } from "../../state/workbench";
import { DialogFooter } from "../../ui/DialogFooter";
import { Notice } from "../../ui/Notice";
import { suggestedName } from "../../ui/suggestedName";

/** A new page on a shelf; it opens in the editor. */
export function NewPage({ shelves, shelf, close }: { shelves: Schemas["ShelfEntry"][]; shelf: string | null; close: () => void }) {
  const changed = useChanged();
  const navigate = useNavigate();
  const bench = useWorkbench();
  const [form] = Form.useForm<{ label: string; name: string; shelf: string; model: string }>();
  const create = useMutation({
    mutationFn: (values: { label: string; name: string; shelf: string; model: string }) =>
      data(
        api.PUT("/api/pages/{page}", {
          params: { path: { page: values.name } },
          body: { page: { ...values, label: values.label || null }, version: null },
        }),
      ),
    onSuccess: async (made) => {
      await changed("pages");
      navigate(`/pages/${encodeURIComponent(made.page.name)}/edit`);
      close();
    },
  });
  return (
    <Modal
      open
      title="New page"
      okText="Create in the draft"
      okButtonProps={{ loading: create.isPending }}
      onCancel={close}
      onOk={() => form.submit()}
    >
      <Form
        form={form}
        layout="vertical"
        requiredMark={false}
        initialValues={{ label: "", name: "", shelf: shelf ?? shelves[0]?.name, model: bench.model }}
        onFinish={(values) => create.mutate(values)}
        onValuesChange={(changed: { label?: string }) => {
          if (changed.label !== undefined && !form.isFieldTouched("name"))
            form.setFields([{ name: "name", value: suggestedName(changed.label), touched: false }]);
        }}
      >
        <Form.Item label="What people call it" name="label">
          <Input autoFocus placeholder="Monthly output" />
        </Form.Item>
        <Form.Item label="Name" name="name" rules={[{ required: true, message: "A page needs a name." }]}>
          <Input className="mono" placeholder="monthly-output" />
        </Form.Item>
        <Form.Item label="Shelf" name="shelf" rules={[{ required: true, message: "Choose the shelf it lies on." }]}>
          <Select
            showSearch
            optionFilterProp="label"
            aria-label="Shelf of the page"
            options={shelves.map((item) => ({ value: item.name, label: item.label }))}
          />
        </Form.Item>
        <Form.Item label="Model" name="model" rules={[{ required: true, message: "Choose the model it asks." }]}>
          <Select
            showSearch
            optionFilterProp="label"
            aria-label="Model of the page"
            options={bench.models.map((item) => ({ value: item.name, label: item.label }))}
          />
        </Form.Item>
      </Form>
      <p className="soft small">Nobody can open it until a role says so.</p>
      {create.isError && <Notice kind="bad">{create.error.message}</Notice>}
    </Modal>
  );
}

/** A shelf: made, renamed, or deleted when it is empty. */
export function ShelfDialog({ shelf, close }: { shelf: Schemas["ShelfEntry"] | null; close: () => void }) {
  const changed = useChanged();
  const [form] = Form.useForm<{ label: string; name: string }>();
  const done = async () => {
    await changed("pages");
    close();
  };
  const save = useMutation({
    mutationFn: (values: { label: string; name: string }) => {
      const name = shelf?.name ?? values.name;
      return data(
        api.PUT("/api/shelves/{shelf}", {
          params: { path: { shelf: name } },
          body: { shelf: { name, label: values.label || null }, version: shelf?.version ?? null },
        }),
      );
    },
    onSuccess: done,
  });
  const remove = useMutation({
    mutationFn: () =>
      data(api.DELETE("/api/shelves/{shelf}", { params: { path: { shelf: shelf?.name ?? "" }, query: { version: shelf?.version ?? 0 } } })),
    onSuccess: done,
  });
  const error = save.error ?? remove.error;
  return (
    <Modal
      open
      title={shelf ? `Shelf ${shelf.label}` : "New shelf"}
      onCancel={close}
      okText="Save in the draft"
      okButtonProps={{ loading: save.isPending }}
      onOk={() => form.submit()}
      footer={(_, parts) => <DialogFooter remove={shelf ? () => remove.mutate() : null} parts={parts} />}
    >
      <Form
        form={form}
        layout="vertical"
        requiredMark={false}
        initialValues={{ label: shelf?.label ?? "", name: shelf?.name ?? "" }}
        onFinish={(values) => save.mutate(values)}
        onValuesChange={(changed: { label?: string }) => {
          if (!shelf && changed.label !== undefined && !form.isFieldTouched("name"))
            form.setFields([{ name: "name", value: suggestedName(changed.label), touched: false }]);
        }}
      >
        <Form.Item label="What people call it" name="label">
          <Input autoFocus placeholder="Operations" />
        </Form.Item>
        {!shelf && (
          <Form.Item label="Name" name="name" rules={[{ required: true, message: "A shelf needs a name." }]}>
            <Input className="mono" placeholder="operations" />
          </Form.Item>
        )}
      </Form>
      {error && <Notice kind="bad">{error.message}</Notice>}
    </Modal>
  );
}
