import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  // The interface is built into the package, so that it is served from wherever that is installed.
  build: {
    target: "es2022",
    reportCompressedSize: true,
    outDir: "../src/oakbeam/interface",
    emptyOutDir: true,
    // What is bundled is others' work too: their licences go where it goes.
    license: { fileName: "licences.md" },
  },
  test: { setupFiles: ["src/testing/setup.ts"], maxWorkers: 2, testTimeout: 60_000 },
  server: { proxy: { "/api": "http://127.0.0.1:8321" } },
});
