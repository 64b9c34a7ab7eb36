import { defineConfig } from "@playwright/test";

// Debian's Chromium, driven over one running Nevrin with its demo data. Stories run one after another.
export default defineConfig({
  testDir: ".",
  workers: 1,
  timeout: 300_000,
  expect: { timeout: 30_000 },
  reporter: [["list"]],
  outputDir: "../.data/test/playwright",
  use: {
    baseURL: process.env.NEVRIN_URL,
    viewport: { width: 1280, height: 800 },
    locale: "en-CA",
    timezoneId: "America/Halifax",
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: [
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
      ],
    },
  },
  projects: [
    { name: "stories", testMatch: /stories\/.*\.spec\.ts/ },
    { name: "shots", testMatch: /shots\.ts/ },
    { name: "pace", testMatch: /pace\.ts/ },
  ],
});
