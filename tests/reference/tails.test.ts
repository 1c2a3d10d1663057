import { readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import {
  countAtLeast,
  countAtMost,
  gammaAtLeast,
  lnGamma,
  normalAbove,
  poissonAtLeast,
  poissonAtMost,
  rejected,
  scoreOf,
  shareAtLeast,
} from "#core/stats/tails";

interface Row {
  law: "poisson" | "count" | "share" | "normal" | "gamma" | "gamma tail";
  args: number[];
  p: number;
  below?: number;
}
// SciPy; fixtures/tails.py makes the file.
const { rows } = JSON.parse(readFileSync(join(import.meta.dirname, "fixtures", "tails.json"), "utf8")) as {
  rows: Row[];
};
const above = {
  poisson: ([x = 0, mean = 0]: number[]) => poissonAtLeast(x, mean),
  count: ([x = 0, mean = 0, variance = 0]: number[]) => countAtLeast(x, mean, variance),
  share: ([x = 0, n = 0, share = 0, alike = 0]: number[]) => shareAtLeast(x, n, share, alike),
  normal: ([z = 0]: number[]) => normalAbove(z),
  gamma: ([x = 0]: number[]) => lnGamma(x),
  "gamma tail": ([x = 0, shape = 0]: number[]) => gammaAtLeast(x, shape),
};

describe("tail probabilities are those of SciPy", () => {
  it.each(rows)("$law $args", ({ law, args, p, below }) => {
    expect(above[law](args) / p).toBeCloseTo(1, 7);
    if (below === undefined) return;
    const [x = 0, mean = 0, variance = 0] = args;
    expect((law === "count" ? countAtMost(x, mean, variance) : poissonAtMost(x, mean)) / below).toBeCloseTo(1, 7);
  });
});

it("rejects as in the example of Benjamini and Hochberg 1995, §3.2: the first 4 of 15 at 0.05 (from memory)", () => {
  const p = [
    0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.324, 0.4262, 0.5719, 0.6528, 0.759, 1,
  ];
  expect(rejected(p, 0.05)).toBe(4);
  // Given the smallest ones and how many there were.
  expect(rejected(p.slice(0, 6), 0.05, 15)).toBe(4);
  expect(rejected([], 0.05)).toBe(0);
});

it("scores one in a million 75, and no more than 100", () => {
  expect(scoreOf(1e-6)).toBeCloseTo(75);
  expect(scoreOf(1)).toBe(0);
  expect(scoreOf(0)).toBe(100);
});
