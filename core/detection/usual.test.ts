import { describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { learnRange, type Range } from "./range";
import { usual, usualSettings, type UsualSettings } from "./usual";

const MONDAY = Date.UTC(2026, 2, 2);
const STEP = 5 * MINUTE_MS;
const wobble = (index: number) => Math.sin(index * 12.9898) * 2;
const times = Float64Array.from({ length: (14 * DAY_MS) / STEP }, (_, index) => MONDAY + index * STEP);
/** Twenty by night, sixty by day. */
const level = (atMs: number) => (Math.floor(atMs / HOUR_MS) % 24 >= 8 ? 60 : 20);
const mean = Float64Array.from(times, (at, index) => level(at) + wobble(index));
const range = learnRange({ times, mean, min: mean, max: mean }) as Range;
const NOON = MONDAY + 14 * DAY_MS + 12 * HOUR_MS;
const NIGHT = MONDAY + 14 * DAY_MS + 3 * HOUR_MS;

function feed(
  given: Partial<UsualSettings>,
  fromMs: number,
  values: readonly number[],
  known: Range | undefined = range,
) {
  const settings = usualSettings.parse({ metric: "messaging.queue.depth", ...given });
  const state = usual.fresh();
  return values.flatMap((value, index) => {
    const atMs = fromMs + index * 15_000;
    const verdict = usual.evaluate(settings, state, { atMs, value, range: known }, { instance: "", unit: "{message}" });
    return verdict ? [{ atMs, ...verdict }] : [];
  });
}
const minutes = (value: number, count: number) => Array<number>(count * 4).fill(value);

describe("a value out of its usual range", () => {
  it("is told of after it lasted, with what is usual, how much more it is, and since when", () => {
    const [first, ...more] = feed({}, NOON, [...minutes(61, 5), ...minutes(600, 5)]);
    expect(first).toMatchObject({
      severity: "minor",
      onsetMs: NOON + 5 * MINUTE_MS,
      atMs: NOON + 7 * MINUTE_MS,
      text: "Messages in queue at 600 messages, usually 60 messages at this hour: 10 times as much (score 100)",
    });
    expect(more).toEqual([]);
  });
  it("is judged by the hour: what is usual at noon is not at night", () => {
    expect(feed({}, NOON, minutes(60, 6))).toEqual([]);
    expect(feed({}, NIGHT, minutes(60, 6))).toMatchObject([{ severity: "minor" }]);
  });
  it("can be too little as well, where that is asked for", () => {
    expect(feed({ direction: "below" }, NOON, minutes(5, 6))).toMatchObject([{ severity: "minor" }]);
    expect(feed({ direction: "above" }, NOON, minutes(5, 6))).toEqual([]);
  });
  it("is no news by one sample, nor when it does not matter", () => {
    expect(feed({}, NOON, [...minutes(60, 2), 600, ...minutes(60, 4)])).toEqual([]);
    expect(feed({ leastValue: 1000 }, NOON, minutes(600, 6))).toEqual([]);
    expect(feed({ leastPercent: 2000 }, NOON, minutes(600, 6))).toEqual([]);
  });
  it("is over when it is as usual again", () =>
    expect(feed({}, NOON, [...minutes(600, 4), ...minutes(60, 4)]).map((one) => one.severity)).toEqual([
      "minor",
      "cleared",
    ]));
  it("is not judged while nothing is known", () => {
    const settings = usualSettings.parse({ metric: "m" });
    const state = usual.fresh();
    expect(
      usual.evaluate(settings, state, { atMs: NOON, value: 1e9, range: undefined }, { instance: "", unit: "1" }),
    ).toBeUndefined();
  });
});
