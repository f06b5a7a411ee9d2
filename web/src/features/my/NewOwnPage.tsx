import { useMutation } from "@tanstack/react-query";
import { App, Form, Input, Modal, Select } from "antd";
import { useNavigate } from "react-router-dom";
import { api, data, type Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { Notice } from "../../ui/Notice";

type Props = { shelves: Schemas["MyPage"][]; copyOf?: { name: string; label: string }; close: () => void };

/** A new page of one's own on a shelf, empty or as a copy; it opens in the editor. */
export function NewOwnPage({ shelves, copyOf, close }: Props) {
  const changed = useChanged();
  const navigate = useNavigate();
  const { message } = App.useApp();
  const [form] = Form.useForm<{ label: string; shelf: string }>();
  const make = useMutation({
    mutationFn: (values: { label: string; shelf: string }) =>
      data(api.POST("/api/my/making", { body: { ...values, label: values.label.trim(), copy_of: copyOf?.name ?? null } })),
    onSuccess: async (made) => {
      await changed("pages");
      if (made.left_out.length > 0) {
        message.warning(`Left out, because of what their filters name: ${made.left_out.join(", ")}.`, 8);
      }
      navigate(`/my/${encodeURIComponent(made.name)}/edit`);
      close();
    },
  });
  return (
    <Modal
      open
      title={copyOf ? `Copy ${copyOf.label} as your own` : "A page of your own"}
      okText={copyOf ? "Copy" : "Make the page"}
      okButtonProps={{ loading: make.isPending }}
      onCancel={close}
      onOk={() => form.submit()}
    >
      <Form
        form={form}
        layout="vertical"
        requiredMark={false}
        initialValues={{ label: copyOf ? `My ${copyOf.label}` : "", shelf: shelves[0]?.name }}
        onFinish={(values) => make.mutate(values)}
      >
        <Form.Item label="What it is called" name="label" rules={[{ required: true, whitespace: true, message: "A page needs a title." }]}>
          <Input autoFocus maxLength={200} placeholder="Output of my sites" />
        </Form.Item>
        <Form.Item label="Shelf" name="shelf" extra="You alone see it until you publish it there.">
          <Select
            showSearch
            optionFilterProp="label"
            aria-label="Shelf of the page"
            options={shelves.map((item) => ({ value: item.name, label: item.label }))}
          />
        </Form.Item>
      </Form>
      {copyOf && <p className="soft small">The copy holds what exists for you. It does not follow later changes of the original.</p>}
      {make.isError && <Notice kind="bad">{make.error.message}</Notice>}
    </Modal>
  );
}
