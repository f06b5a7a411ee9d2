import { defineConfig } from "vitest/config";

export default defineConfig({
  oxc: { jsx: { runtime: "automatic" } },
  test: { include: ["tests/**/*.test.ts", "tests/**/*.test.tsx"], environment: "node", testTimeout: 20_000 },
});
