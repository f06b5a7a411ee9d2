import { defineConfig } from "vitest/config";

export default defineConfig({
  esbuild: { jsx: "automatic" },
  test: { include: ["tests/**/*.test.ts"], server: { deps: { inline: [/antd/, /@ant-design/, /rc-/] } } },
});
