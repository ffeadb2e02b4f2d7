import { fileURLToPath } from "node:url";
import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [vue()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: { assetsInlineLimit: 0 },
  server: {
    proxy: { "/api": "http://127.0.0.1:8000", "/live": { target: "ws://127.0.0.1:8000", ws: true } },
  },
  // Run by tests/web/test_units.py. What tests put in the place of a package is found from where they lie.
  test: {
    globals: true,
    dir: "../tests/web",
    include: ["**/*.test.ts"],
    alias: { "idb-keyval": fileURLToPath(new URL("./node_modules/idb-keyval", import.meta.url)) },
  },
});
