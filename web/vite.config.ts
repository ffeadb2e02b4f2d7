import { readdirSync } from "node:fs";
import { fileURLToPath } from "node:url";
import vue from "@vitejs/plugin-vue";
import { build, type Plugin } from "vite";
import { defineConfig } from "vitest/config";

const here = (path: string): string => fileURLToPath(new URL(path, import.meta.url));

/** The service worker is a program of its own, in one file; it is told which files the page has. */
const offline = (): Plugin => ({
  name: "offline",
  apply: "build",
  async closeBundle() {
    const built = readdirSync(here("./dist/assets"))
      .sort()
      .map((name) => `assets/${name}`);
    await build({
      configFile: false,
      publicDir: false,
      logLevel: "warn",
      define: { BUILT: JSON.stringify(built) },
      build: {
        emptyOutDir: false,
        rolldownOptions: {
          input: here("./src/offline/worker.ts"),
          output: { format: "iife", entryFileNames: "worker.js" },
        },
      },
    });
  },
});

/** Ant Design Vue's styles are written where the content policy allows it. */
const styleRules = (): Plugin => ({
  name: "style-rules",
  apply: "build",
  enforce: "pre",
  resolveId: (source, importer) =>
    source.endsWith("/dynamicCSS") && /\/(ant-design-vue|@ant-design\/icons-vue)\//.test(importer ?? "")
      ? here("./src/ui/styleRules.ts")
      : null,
});

export default defineConfig({
  plugins: [vue(), styleRules(), offline()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  // Of the words' library only what is used: no components, no older interface, no tools for a browser's console.
  define: {
    __VUE_I18N_FULL_INSTALL__: false,
    __VUE_I18N_LEGACY_API__: false,
    __INTLIFY_PROD_DEVTOOLS__: false,
    __INTLIFY_DROP_MESSAGE_COMPILER__: false,
  },
  build: {
    assetsInlineLimit: 0,
    // The words are a file of their own: they change by themselves.
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: "catalogue", test: /words\/en\.json$/ },
            { name: "declared", test: /words\/declared\.json$/ },
            { name: "sentences", test: /messages[/.]en\.json$/ },
          ],
        },
      },
    },
  },
  server: {
    // Tests lie beside the interface, not in it.
    fs: { allow: [".."] },
    proxy: { "/api": "http://127.0.0.1:8000", "/live": { target: "ws://127.0.0.1:8000", ws: true } },
  },
  // Run by tests/web/test_units.py. What tests take or replace of a package is found from here, not from where they lie.
  test: {
    globals: true,
    // How long something takes is no matter of theirs.
    testTimeout: 120_000,
    hookTimeout: 120_000,
    dir: "../tests/web",
    setupFiles: ["../tests/web/setup.ts"],
    include: ["**/*.test.ts"],
    alias: ["idb-keyval", "@vue/test-utils", "ant-design-vue", "pinia", "vue-i18n", "vue-router", "vue"].map(
      (name) => ({
        find: new RegExp(`^${name}$`),
        replacement: fileURLToPath(new URL(`./node_modules/${name}`, import.meta.url)),
      }),
    ),
  },
});
