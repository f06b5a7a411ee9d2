import { App, Button, Dropdown } from "antd";
import { saveFile } from "../api/download";

/** Saves what is on screen as CSV or XLSX, as the server writes it. */
export function SaveAs({ address, body, name }: { address: string; body: object; name: string }) {
  const { message } = App.useApp();
  const save = (format: "csv" | "xlsx") =>
    saveFile(address, { ...body, format }, `${name}.${format}`).catch((error: Error) => message.error(error.message));
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        items: [
          { key: "csv", label: "Save as CSV", onClick: () => void save("csv") },
          { key: "xlsx", label: "Save as XLSX", onClick: () => void save("xlsx") },
        ],
      }}
    >
      <Button>Save</Button>
    </Dropdown>
  );
}
