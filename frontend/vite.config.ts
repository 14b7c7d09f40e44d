import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react()],
  build: { chunkSizeWarningLimit: 900 },
  css: { preprocessorOptions: { scss: { quietDeps: true, silenceDeprecations: ["import", "global-builtin", "color-functions", "if-function"] } } },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8460", ws: true } } },
  test: { environment: "node", include: ["tests/**/*.test.ts"] },
});
