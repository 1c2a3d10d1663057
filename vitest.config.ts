import { availableParallelism } from "node:os";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

const room = (name: string) => fileURLToPath(new URL(`./${name}`, import.meta.url));

/** Computation, without state of its own: many files share a process, and what they import. */
const PURE = ["{core,app}/**/*.test.{ts,tsx}", "tests/reference/**/*.test.ts"];
const OTHERS = ["{agent,bench,server,standins,scripts}/**/*.test.ts", "tests/{system,hostile}/**/*.test.ts"];
/** `npm run outside` runs tests against real programs. */
const OUTSIDE = ["tests/outside/**/*.test.ts"];

export default defineConfig({
  resolve: {
    alias: { "~": room("app"), "#core": room("core"), "#server": room("server"), "#standins": room("standins") },
  },
  test: {
    testTimeout: 60_000,
    hookTimeout: 60_000,
    pool: "forks",
    // Many wait for sockets and children most of the time.
    maxWorkers: Math.max(3, availableParallelism()),
    projects: process.env.OUTSIDE
      ? [{ extends: true, test: { name: "outside", include: OUTSIDE } }]
      : [
          { extends: true, test: { name: "parts", include: OTHERS } },
          { extends: true, test: { name: "pure", include: PURE, isolate: false } },
        ],
  },
});
