import { availableParallelism } from "node:os";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vitest/config";

const room = (name: string) => fileURLToPath(new URL(`./${name}`, import.meta.url));

export default defineConfig({
  resolve: {
    alias: { "~": room("app"), "#core": room("core"), "#server": room("server"), "#standins": room("standins") },
  },
  test: {
    // `npm run outside` runs tests against real programs.
    include: process.env.OUTSIDE
      ? ["tests/outside/**/*.test.ts"]
      : [
          "{agent,bench,core,server,standins,app,scripts}/**/*.test.{ts,tsx}",
          "tests/reference/**/*.test.ts",
          "tests/system/**/*.test.ts",
          "tests/hostile/**/*.test.ts",
        ],
    testTimeout: 60_000,
    hookTimeout: 60_000,
    pool: "forks",
    // Many wait for sockets and children most of the time.
    maxWorkers: Math.max(3, availableParallelism()),
  },
});
