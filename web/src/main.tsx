import "@ant-design/v5-patch-for-react-19";
import "@fontsource-variable/atkinson-hyperlegible-mono/wght.css";
import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "./app/moor.css";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Application } from "./app/Application";

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <Application />
    </StrictMode>,
  );
}
