import { describe, expect, it } from "vitest";
import { logs, logSettings, type LogSettings } from "./logs";

const MINUTE = 60_000;
const judged = { instance: "", unit: "1" };
function feed(given: Partial<LogSettings>, counts: readonly number[], usual?: { mean: number; variance: number }) {
  const settings = logSettings.parse(given);
  const state = logs.fresh();
  return counts.flatMap((count, at) => {
    const verdict = logs.evaluate(
      settings,
      state,
      { atMs: at * MINUTE, count, usual, example: "no room left on /srv" },
      judged,
    );
    return verdict ? [{ at, ...verdict }] : [];
  });
}

describe("log records", () => {
  it("that are more than usual are told of with one of them, and until they ebb", () =>
    expect(feed({ condition: "more" }, [3, 40, 38, 4], { mean: 3, variance: 4 })).toMatchObject([
      { at: 1, severity: "minor", text: "40 errors within 5 min, usually 3: no room left on /srv" },
      { at: 3, severity: "cleared" },
    ]));
  it("are no news where so many are usual, or where nothing is known", () => {
    expect(feed({ condition: "more" }, [40, 45], { mean: 40, variance: 60 })).toEqual([]);
    expect(feed({ condition: "more" }, [4000])).toEqual([]);
  });
  it("are counted against a limit where that is asked for", () =>
    expect(
      feed({ condition: "atLeast", count: 10, severity: "major" }, [9, 10, 7, 4]).map((one) => [one.at, one.severity]),
    ).toEqual([
      [1, "major"],
      [3, "cleared"],
    ]));
  it("are missed where they usually come and none does", () => {
    expect(feed({ condition: "none", level: "0" }, [30, 0, 25], { mean: 30, variance: 30 })).toMatchObject([
      { at: 1, text: "No log records for 5 min, usually 30 in such a time" },
      { at: 2, severity: "cleared" },
    ]);
    // So few usually come that none means nothing.
    expect(feed({ condition: "none" }, [0, 0], { mean: 2, variance: 2 })).toEqual([]);
  });
  it("of patterns never met before are told of at once", () =>
    expect(feed({ condition: "new", as: "finding" }, [0, 1])).toMatchObject([
      { at: 1, text: "New error, 1 times: no room left on /srv" },
    ]));
});

it("says in words what it will do", () => {
  expect(
    logs.describe(logSettings.parse({ words: "time-out", condition: "atLeast", count: 20, minutes: 10 }), "1"),
  ).toBe("minor when there are 20 or more errors with “time-out” within 10 min");
});
