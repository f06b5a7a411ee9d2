import { useMutation } from "@tanstack/react-query";
import { App, Form, Input, Modal } from "antd";
import { api, data } from "../api/client";
import { Notice } from "./Notice";

type Values = { present: string; password: string; again: string };

/** Another password for oneself; whoever is signed in to the account elsewhere has to sign in anew. */
export function ChangePassword({ close }: { close: () => void }) {
  const { message } = App.useApp();
  const [form] = Form.useForm<Values>();
  const change = useMutation({
    mutationFn: ({ present, password }: Values) => data(api.PUT("/api/session/password", { body: { present, password } })),
    onSuccess: () => {
      message.success("Your password is changed. Other sessions of your account have ended.");
      close();
    },
  });
  return (
    <Modal
      open
      title="Change my password"
      okText="Change it now"
      onCancel={close}
      onOk={() => form.submit()}
      okButtonProps={{ loading: change.isPending }}
    >
      <Form form={form} layout="vertical" requiredMark={false} onFinish={(values) => change.mutate(values)}>
        <Form.Item label="Present password" name="present" rules={[{ required: true, message: "Needed, so that nobody else changes it." }]}>
          <Input.Password autoFocus autoComplete="current-password" />
        </Form.Item>
        <Form.Item
          label="New password"
          name="password"
          extra="At least ten signs, five of them different; not a common one, not your name."
          rules={[{ required: true, min: 10, message: "At least ten signs." }]}
        >
          <Input.Password autoComplete="new-password" />
        </Form.Item>
        <Form.Item
          label="The new password once more"
          name="again"
          dependencies={["password"]}
          rules={[
            ({ getFieldValue }) => ({
              validator: (_, value) =>
                value === getFieldValue("password") ? Promise.resolve() : Promise.reject(new Error("This is not the same as above.")),
            }),
          ]}
        >
          <Input.Password autoComplete="new-password" />
        </Form.Item>
      </Form>
      {change.isError && <Notice kind="bad">{change.error.message}</Notice>}
    </Modal>
  );
}
