import { defineConfig } from "vite";
import { antdStyles } from "./antdStyles";

export default defineConfig({
  plugins: [antdStyles()],
  oxc: { jsx: { runtime: "automatic" } },
  build: {
    outDir: "dist",
    assetsDir: "static",
    chunkSizeWarningLimit: 1200,
    rolldownOptions: {
      // Some libraries mark files for servers that render; that means nothing here.
      onwarn: (warning, warn) => warning.code !== "MODULE_LEVEL_DIRECTIVE" && warn(warning),
      output: {
        manualChunks: (id) => (id.includes("echarts") || id.includes("zrender") ? "charts" : id.includes("codemirror") || id.includes("lezer") ? "editor" : undefined),
      },
    },
  },
  server: { proxy: { "/api": "http://localhost:8000" } },
});
