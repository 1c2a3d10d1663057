import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { freshThresholdState, judgeSample, type ThresholdRule } from "./threshold";
import { kindMatches } from "../catalogue/kinds";

const rule = (changes: Partial<ThresholdRule> = {}): ThresholdRule => ({
  id: 1,
  metric: "memory.used",
  kind: "host.*",
  direction: "above",
  limits: [
    { severity: "critical", value: 90 },
    { severity: "warning", value: 70 },
  ],
  samples: 5,
  hysteresis: 4,
  memoryMs: 3_600_000,
  ...changes,
});
const feed = (one: ThresholdRule, values: readonly number[], step = 15_000) => {
  const state = freshThresholdState();
  return values.flatMap((value, index) => {
    const verdict = judgeSample(one, state, index * step, value);
    return verdict ? [[index, verdict.severity] as const] : [];
  });
};

describe("a threshold on the mean of five samples", () => {
  it("warns past 70 and is critical past 90, in that order", () =>
    expect(feed(rule(), [45, 45, 45, 45, 45, 80, 97, 97, 97, 97, 97])).toEqual([
      [7, "warning"],
      [9, "critical"],
    ]));
  it("says nothing before it has five", () => expect(feed(rule(), [99, 99, 99, 99])).toEqual([]));
  it("comes back past the hysteresis only", () => {
    expect(feed(rule({ samples: 1 }), [75, 69, 67, 66.1, 66, 71])).toEqual([
      [0, "warning"],
      [4, "cleared"],
      [5, "warning"],
    ]);
    expect(feed(rule({ samples: 1 }), [95, 87, 86, 80])).toEqual([
      [0, "critical"],
      [2, "warning"],
    ]);
  });
  it("names the limit that is broken now when it eases", () => {
    const state = freshThresholdState();
    judgeSample(rule({ samples: 1 }), state, 0, 95);
    expect(judgeSample(rule({ samples: 1 }), state, 1, 80)).toMatchObject({ severity: "warning", limit: 70 });
  });
  it("watches for too little as well", () =>
    expect(
      feed(
        rule({ direction: "below", samples: 3, hysteresis: 0.2, limits: [{ severity: "critical", value: 0.4 }] }),
        [1, 1, 1, 0, 0, 0, 1, 1],
      ),
    ).toEqual([
      [4, "critical"],
      [7, "cleared"],
    ]));
  it("forgets samples that are too old", () =>
    expect(feed(rule({ memoryMs: 60_000 }), [99, 99, 99, 99, 99, 99], 30_000)).toEqual([]));
  it("passes over what is no number", () =>
    expect(feed(rule({ samples: 2 }), [99, Number.NaN, 99])).toEqual([[2, "critical"]]));
  it("never gives the same verdict twice in a row, whatever comes", () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0, max: 100, noNaN: true }), { maxLength: 200 }),
        fc.integer({ min: 1, max: 6 }),
        (values, samples) => {
          const verdicts = feed(rule({ samples }), values);
          return verdicts.every(
            ([, severity], index) => severity !== (index === 0 ? "cleared" : verdicts[index - 1]?.[1]),
          );
        },
      ),
    );
  });
});

it.each([
  ["host.*", "host.linux", true],
  ["host.*", "hostile", false],
  ["*", "net.switch", true],
  ["host.linux", "host.linux", true],
  ["host.linux", "host.unknown", false],
])("pattern %s meets %s: %s", (pattern, kind, expected) => expect(kindMatches(pattern, kind)).toBe(expected));
