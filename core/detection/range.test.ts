import { describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS } from "../time/windows";
import {
  bucketOf,
  chanceOf,
  edgeOf,
  learnRange,
  packRange,
  SHIFT_MS,
  shiftOf,
  unpackRange,
  usualAt,
  type Spans,
} from "./range";

const STEP = 5 * 60_000;
/** A Monday at midnight, UTC. */
const MONDAY = Date.UTC(2026, 2, 2);

/** Seeded normal deviates. */
function normals(seed: number): () => number {
  let state = seed;
  const chance = () => (state = (state * 48271) % 2147483647) / 2147483647;
  return () => Math.sqrt(-2 * Math.log(chance())) * Math.cos(2 * Math.PI * chance());
}

/** Spans of a series: what it is at an instant, and the noise of each five minutes about it. */
function spansOf(days: number, at: (atMs: number) => number, noise: () => number, fromMs = MONDAY): Spans {
  const count = (days * DAY_MS) / STEP;
  const times = Float64Array.from({ length: count }, (_, index) => fromMs + index * STEP);
  const mean = Float64Array.from(times, (one) => at(one) + noise());
  return { times, mean, min: mean, max: mean };
}

const daily = (atMs: number) => 50 + 30 * Math.sin((2 * Math.PI * (atMs % DAY_MS)) / DAY_MS);
const isWeekend = (atMs: number) => bucketOf("week", atMs) >= 5 * 24;
const learned = (spans: Spans) => {
  const range = learnRange(spans);
  if (!range) throw new Error("nothing learned");
  return range;
};

describe("the level of what is usual", () => {
  const quiet = normals(1);
  it("is one where no hour differs", () => expect(learned(spansOf(14, () => 20, quiet)).level).toBe("one"));
  it("is the hour of the day where days are alike", () => expect(learned(spansOf(14, daily, quiet)).level).toBe("day"));
  it("tells workdays from weekends", () =>
    expect(learned(spansOf(14, (at) => (isWeekend(at) ? 10 : daily(at)), quiet)).level).toBe("workday"));
  it("is the hour of the week where each day has a shape of its own", () => {
    const own = (at: number) =>
      daily(at) + 8 * (Math.floor(at / DAY_MS + 3) % 7) * ((Math.floor(at / HOUR_MS) % 24) / 24);
    expect(learned(spansOf(21, own, quiet)).level).toBe("week");
  });
  it("is not cut into hours before two days are known, and nothing is said of six hours", () => {
    expect(learned(spansOf(1, daily, quiet)).level).toBe("one");
    expect(learnRange(spansOf(0.2, daily, quiet))).toBeUndefined();
  });
  it("has Monday midnight as the first hour of the week", () => {
    expect(bucketOf("week", MONDAY)).toBe(0);
    expect(bucketOf("week", MONDAY + 6 * DAY_MS + 23 * HOUR_MS)).toBe(167);
    expect(bucketOf("workday", MONDAY + 5 * DAY_MS)).toBe(24);
  });
});

describe("a band of 99 %", () => {
  // Asked for: between 98.5 and 99.5 % of what comes later is within it.
  const laws: [string, (n: () => number) => () => number][] = [
    ["normal noise", (n) => () => 3 * n()],
    ["a heavy upper tail", (n) => () => 2 * Math.exp(0.5 * n())],
  ];
  it.each(laws)("holds that share of values to come, with %s", (_, law) => {
    const noise = law(normals(7));
    const range = learned(spansOf(28, daily, noise));
    const later = spansOf(28, daily, noise, MONDAY + 28 * DAY_MS);
    let within = 0;
    for (let index = 0; index < later.times.length; index++) {
      const [at, value] = [later.times[index] as number, later.mean[index] as number];
      const low = edgeOf(range, 0.005, at, "below") as number;
      const high = edgeOf(range, 0.005, at, "above") as number;
      if (value >= low && value <= high) within++;
    }
    const share = within / later.times.length;
    expect(share).toBeGreaterThan(0.985);
    expect(share).toBeLessThan(0.995);
  });
  it("is exceeded about as often as the risk says, out in the tail (Siffer et al. 2017, §4)", () => {
    const noise = normals(11);
    const range = learned(spansOf(60, daily, noise));
    const later = spansOf(120, daily, noise, MONDAY + 60 * DAY_MS);
    let out = 0;
    for (let index = 0; index < later.times.length; index++)
      if (chanceOf(range, later.mean[index] as number, later.times[index] as number, "above") < 1e-3) out++;
    expect(out / later.times.length).toBeGreaterThan(2e-4);
    expect(out / later.times.length).toBeLessThan(2.5e-3);
  });
});

it("gives the chance that belongs to an edge", () => {
  const range = learned(spansOf(14, daily, normals(3)));
  for (const p of [1e-2, 1e-4, 1e-6])
    for (const side of ["above", "below"] as const) {
      const edge = edgeOf(range, p, MONDAY + 9 * HOUR_MS, side) as number;
      expect(chanceOf(range, edge, MONDAY + 9 * HOUR_MS, side) / p).toBeCloseTo(1, 3);
    }
});

it("does not take a Monday after a Sunday for odd: until a week is known, it is not sure", () => {
  const SUNDAY = MONDAY - DAY_MS;
  const range = learned(spansOf(1, (at) => daily(at) / 4, normals(13), SUNDAY));
  for (let hour = 0; hour < 24; hour++)
    expect(chanceOf(range, daily(MONDAY + hour * HOUR_MS), MONDAY + hour * HOUR_MS, "above")).toBeGreaterThan(1e-6);
});

describe("a lasting new level", () => {
  const noise = normals(5);
  const range = learned(spansOf(14, () => 20, noise));
  const later = (level: number, hours: number) => spansOf(hours / 24, () => level, noise, MONDAY + 14 * DAY_MS);
  it("is taken over within six hours", () => {
    const shift = shiftOf(range, later(40, SHIFT_MS / HOUR_MS + 0.1));
    expect(shift).toBeGreaterThan(19);
    expect(shift).toBeLessThan(21);
    const after = { ...range, shift: shift ?? 0 };
    expect(usualAt(after, MONDAY)?.middle).toBeCloseTo(40, 0);
    expect(chanceOf(after, 40, MONDAY, "above")).toBeGreaterThan(0.01);
  });
  it("is not taken over sooner, nor where it is uneven, nor where nothing changed", () => {
    expect(shiftOf(range, later(40, 3))).toBeUndefined();
    expect(shiftOf(range, later(20, 7))).toBeUndefined();
    const wild = spansOf(0.3, (at) => 40 + 15 * Math.sin(at / 1e6), noise, MONDAY + 14 * DAY_MS);
    expect(shiftOf(range, wild)).toBeUndefined();
  });
});

it("fits into 1,500 bytes and comes back as it was", () => {
  const own = (at: number) =>
    daily(at) + 8 * (Math.floor(at / DAY_MS + 3) % 7) * ((Math.floor(at / HOUR_MS) % 24) / 24);
  const range = learned(spansOf(21, own, normals(9)));
  const packed = packRange(range);
  expect(range.level).toBe("week");
  expect(packed.byteLength).toBeLessThanOrEqual(1500);
  expect(unpackRange(packed)).toEqual(range);
});

it("has a spread where a series hardly moves: its grain", () => {
  const state = spansOf(
    14,
    () => 3,
    () => 0,
  );
  const range = learned(state);
  expect(usualAt(range, MONDAY)?.spread).toBeGreaterThan(0);
  expect(chanceOf(range, 3, MONDAY, "above")).toBeGreaterThan(1e-3);
});
