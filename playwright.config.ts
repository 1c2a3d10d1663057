import { defineConfig } from "@playwright/test";
import { PACE } from "./tests/browser/pace";

const PORT = 7199;
/** Cookies of Edo Brandsma-Quill, operator. */
const SIGNED_IN = "test-results/signed-in.json";

export default defineConfig({
  testDir: "tests/browser",
  // Signs in once for all; what is about signing in begins without.
  globalSetup: "./tests/browser/sign-in.ts",
  fullyParallel: false,
  // All share the one demonstration, and what drills do to it.
  workers: 1,
  // Longer than what waits for the clock, so that a story fails where it waits and says for what.
  timeout: 600_000,
  expect: { timeout: 20_000 },
  outputDir: "test-results/browser",
  reporter: process.env.PLAYWRIGHT_JSON_OUTPUT_NAME ? [["list"], ["json"]] : [["list"]],
  use: {
    baseURL: `http://127.0.0.1:${PORT}`,
    storageState: SIGNED_IN,
    viewport: { width: 1280, height: 800 },
    actionTimeout: 15_000,
    navigationTimeout: 60_000,
    screenshot: "only-on-failure",
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
  webServer: {
    // The demo itself, begun anew, with a short past and a fast clock.
    command: `node scripts/demo.mjs --fresh --port ${PORT} --pace ${PACE} --history P2D --now 2026-03-17T10:00:00Z --data test-results/demo --otlp-port 4329 --grpc-port 4327 --trap-port 1172 --syslog-port 5529`,
    url: `http://127.0.0.1:${PORT}/sign-in`,
    timeout: 300_000,
    reuseExistingServer: false,
    stdout: "pipe",
    gracefulShutdown: { signal: "SIGTERM", timeout: 15_000 },
  },
});
