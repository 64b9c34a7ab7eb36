import { defineConfig } from "vitest/config";

export default defineConfig({
  server: { fs: { allow: [".."] } }, // a test reads docs/words.md
  test: { environment: "jsdom", include: ["src/**/*.test.{ts,tsx}"], restoreMocks: true, isolate: false, setupFiles: ["vitest.setup.ts"] },
});
