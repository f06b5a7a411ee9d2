import "@fontsource-variable/atkinson-hyperlegible-mono/wght.css";
import "@fontsource-variable/atkinson-hyperlegible-next/wght.css";
import "./app/moor.css";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { Application } from "./app/Application";
import "./ui/forms.css";
import "./ui/measures.css";

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <Application />
    </StrictMode>,
  );
}
