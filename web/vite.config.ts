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
        // What nearly every screen needs comes in few files: to find forty small ones takes longer than to read them.
        codeSplitting: {
          groups: [
            { name: "base", test: /node_modules[\\/](react|react-dom|scheduler|clsx|@babel)[\\/]/, priority: 4 },
            { name: "charts", test: /node_modules[\\/](echarts|zrender)/, priority: 3 },
            { name: "editor", test: /node_modules[\\/]@?(codemirror|lezer)/, priority: 3 },
            { name: "parts", test: /node_modules[\\/](antd|@ant-design|@rc-component)[\\/](?!picker|.*(date|time)-picker|.*calendar)/, minShareCount: 10, priority: 2 },
          ],
        },
      },
    },
  },
  server: { proxy: { "/api": "http://localhost:8000" } },
});
