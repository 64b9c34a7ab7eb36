import { defineConfig } from "@playwright/test";

// Debian's Chromium as it is built to be driven, which takes a third less of the processor, over a running Nevrin with its demo data.
// Each file of stories has a Nevrin of its own (house.ts), so that two run at once; pictures and paces are taken of the one at
// NEVRIN_URL, alone.
export default defineConfig({
  testDir: ".",
  workers: process.env.NEVRIN_URL ? 1 : 3,
  timeout: 300_000,
  expect: { timeout: 30_000 },
  reporter: [["list"]],
  outputDir: "../.data/test/playwright",
  use: {
    actionTimeout: 60_000, // a button that is not there fails a story long before the story's own limit
    baseURL: process.env.NEVRIN_URL,
    viewport: { width: 1280, height: 800 },
    locale: "en-CA",
    timezoneId: "America/Halifax",
    launchOptions: {
      executablePath: "/usr/bin/chromium-headless-shell",
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
