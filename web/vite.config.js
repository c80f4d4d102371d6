import { appendFileSync, readFileSync } from "node:fs";
import { join } from "node:path";

import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

const LICENCES = "licences.md";

/** Vite writes the licences of scripts that are bundled; those of fonts and styles are added. */
const licencesOfStyles = (names) => ({
  name: "licences-of-styles",
  writeBundle({ dir = "" }) {
    for (const name of names) {
      const folder = join(import.meta.dirname, "node_modules", name);
      const { version, license } = JSON.parse(readFileSync(join(folder, "package.json"), "utf8"));
      const text = readFileSync(join(folder, "LICENSE"), "utf8");
      appendFileSync(join(dir, LICENCES), `\n## ${name} - ${version} (${license})\n\n${text}`);
    }
  },
});

export default defineConfig({
  plugins: [react(), tailwindcss(), licencesOfStyles(["@fontsource-variable/source-sans-3", "tailwindcss"])],
  // The interface is built into the package, so that it is served from wherever that is installed.
  build: {
    target: "es2022",
    reportCompressedSize: true,
    outDir: "../src/oakbeam/interface",
    emptyOutDir: true,
    // What is bundled is others' work too: their licences go where it goes.
    license: { fileName: LICENCES },
  },
  test: { setupFiles: ["src/testing/setup.ts"], maxWorkers: 2, testTimeout: 60_000 },
  server: { proxy: { "/api": "http://127.0.0.1:8321" } },
});
