import { describe, expect, it } from "vitest";
import { BURN_WINDOWS } from "../stats/objective";
import { burn, burnSettings, type BurnSettings } from "./burn";

const windows = (...rates: [long: number, short: number][]) =>
  BURN_WINDOWS.map((one, index) => ({ ...one, long: rates[index]?.[0] ?? 0, short: rates[index]?.[1] ?? 0 }));
function feed(given: Partial<BurnSettings>, ...steps: ReturnType<typeof windows>[]) {
  const state = burn.fresh();
  return steps.flatMap((one, at) => {
    const verdict = burn.evaluate(
      burnSettings.parse(given),
      state,
      { atMs: at * 60_000, windows: one },
      { instance: "", unit: "" },
    );
    return verdict ? [verdict] : [];
  });
}

describe("the budget of an objective", () => {
  it("burns where the long and the short window are over the published rate, the worst first", () => {
    expect(feed({}, windows([20, 16], [7, 9], [2, 2]))).toMatchObject([
      { severity: "major", text: "The budget of its objective burns 20.0 times as fast as it may, over 1 h" },
    ]);
    expect(feed({}, windows([5, 5], [7, 9]))).toMatchObject([{ severity: "minor" }]);
  });
  it("does not burn where it is over already: the short window says so", () =>
    expect(feed({}, windows([20, 0.1], [7, 0.1], [2, 0.1]))).toEqual([]));
  it("eases step by step, and is over", () =>
    expect(feed({}, windows([20, 16]), windows([8, 8], [7, 7]), windows([1, 1])).map((one) => one.severity)).toEqual([
      "major",
      "minor",
      "cleared",
    ]));
  it("does not come and go at its rate", () =>
    expect(
      feed(
        {},
        windows([0, 0], [0, 0], [1.1, 1.1]),
        windows([0, 0], [0, 0], [0.9, 0.9]),
        windows([0, 0], [0, 0], [0.5, 0.5]),
      ).map((one) => one.severity),
    ).toEqual(["warning", "cleared"]));
  it("is not told of where that is asked for", () =>
    expect(feed({ hour: "none", sixHours: "none", threeDays: "none" }, windows([20, 20], [20, 20], [20, 20]))).toEqual(
      [],
    ));
});
