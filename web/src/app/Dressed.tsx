import { App as AntApp, ConfigProvider } from "antd";
import { type ReactNode, use } from "react";
import { antDesign } from "../state/antDesign";
import { ModeContext } from "../state/mode";

/** What is inside has the parts of Ant Design in the colours of the mode; the sign-in does without, so that it is there at once. */
export default function Dressed({ children }: { children: ReactNode }) {
  const { mode } = use(ModeContext);
  return (
    <ConfigProvider theme={antDesign(mode)}>
      <AntApp component={false}>{children}</AntApp>
    </ConfigProvider>
  );
}
