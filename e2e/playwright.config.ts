import { defineConfig } from "@playwright/test";

/** How Debian's Chromium is started, quietly, also by root. */
const args = [
  "--headless",
  "--no-sandbox",
  "--disable-gpu",
  "--disable-quic",
  "--no-first-run",
  "--disable-background-networking",
  "--disable-component-update",
  "--disable-sync",
];

export default defineConfig({
  testDir: ".",
  testMatch: process.env.SCREENSHOTS
    ? "screenshots.ts"
    : process.env.MEASURE
      ? "measure.ts"
      : "*.spec.ts",
  outputDir: "../test-results",
  workers: 3,
  timeout: 90_000,
  expect: { timeout: 15_000 },
  reporter: process.env.CI ? "dot" : "list",
  use: {
    viewport: { width: 1280, height: 800 },
    locale: "en-GB",
    timezoneId: "Europe/Dublin",
    launchOptions: {
      executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
      args,
    },
  },
});
