import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { threshold, thresholdSettings, type ThresholdSettings } from "./threshold";
import { kindMatches } from "../catalogue/kinds";

const rule = (changes: Partial<ThresholdSettings> = {}): ThresholdSettings => ({
  metric: "memory.used",
  direction: "above",
  critical: 90,
  warning: 70,
  samples: 5,
  hysteresis: 4,
  memoryMinutes: 60,
  ...changes,
});
const feed = (one: ThresholdSettings, values: readonly number[], step = 15_000) => {
  const state = threshold.fresh();
  return values.flatMap((value, index) => {
    const verdict = threshold.evaluate(one, state, { atMs: index * step, value }, { instance: "", unit: "%" });
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
    const state = threshold.fresh();
    const judge = (atMs: number, value: number) =>
      threshold.evaluate(rule({ samples: 1 }), state, { atMs, value }, { instance: "", unit: "%" });
    judge(0, 95);
    expect(judge(1, 80)).toMatchObject({
      severity: "warning",
      score: 75,
      text: "Memory usage at 80.0 %, above the limit of 70 %",
    });
  });
  it("says since when every sample was past the limit, which is before the mean was", () => {
    const state = threshold.fresh();
    const verdicts = [40, 75, 76, 77, 78, 79, 95].map((value, minute) =>
      threshold.evaluate(rule({ samples: 3 }), state, { atMs: minute * 60_000, value }, { instance: "", unit: "%" }),
    );
    expect(verdicts.filter(Boolean)).toMatchObject([{ severity: "warning", onsetMs: 60_000 }]);
  });
  it("takes limits as a form sends them, and asks for one", () => {
    const form = {
      metric: "cpu.used",
      direction: "above",
      critical: "90",
      major: "",
      samples: "3",
      hysteresis: "4",
      memoryMinutes: "40",
    };
    expect(thresholdSettings.parse(form)).toEqual({
      metric: "cpu.used",
      direction: "above",
      critical: 90,
      samples: 3,
      hysteresis: 4,
      memoryMinutes: 40,
    });
    expect(thresholdSettings.safeParse({ ...form, critical: "" }).error?.issues[0]?.message).toMatch(
      /at least one limit/,
    );
    expect(thresholdSettings.safeParse({ ...form, critical: "much" }).error?.issues[0]?.path).toEqual(["critical"]);
  });
  it("watches for too little as well", () =>
    expect(
      feed(
        rule({ direction: "below", samples: 3, hysteresis: 0.2, critical: 0.4, warning: undefined }),
        [1, 1, 1, 0, 0, 0, 1, 1],
      ),
    ).toEqual([
      [4, "critical"],
      [7, "cleared"],
    ]));
  it("forgets samples that are too old", () =>
    expect(feed(rule({ memoryMinutes: 1 }), [99, 99, 99, 99, 99, 99], 30_000)).toEqual([]));
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
