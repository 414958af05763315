import "@fontsource-variable/instrument-sans";
import "@fontsource-variable/spline-sans-mono";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { watchPresence } from "./api/presence";
import { App } from "./app";

watchPresence();

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
}
