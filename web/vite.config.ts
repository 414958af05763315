import babel from "@rolldown/plugin-babel";
import react, { reactCompilerPreset } from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig(({ command }) => ({
  plugins: [react(), babel({ presets: [reactCompilerPreset()] })],
  base: command === "build" ? "/static/web/" : "/",
  build: { outDir: "dist", manifest: true },
  server: { proxy: { "/api": "http://127.0.0.1:8470" } },
  test: {
    environment: "jsdom",
    setupFiles: ["src/tests/setup.ts"],
    css: false,
    testTimeout: 30_000,
    pool: "threads",
    isolate: false,
  },
}));
