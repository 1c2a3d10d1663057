import { expect, it } from "vitest";
import type { CallUsual, Stretch } from "#core/detection/call-usual";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { CallLine } from "./call-lines";
import { CallPast } from "./call-past";

const AT = Date.parse("2026-03-17T10:00:00Z");

it("learns a line from its past without what its alarms stood over, and without what came shortly before them", () => {
  const asked: { fromMs: number; toMs: number; troubles: readonly Stretch[] }[] = [];
  const usual = { calls: 1000 } as CallUsual;
  const line = {
    key: "h1",
    learn: (fromMs, toMs, troubles) => {
      asked.push({ fromMs, toMs, troubles });
      return usual;
    },
  } as CallLine;
  const stood = { fromMs: AT - 2 * HOUR_MS, toMs: AT - HOUR_MS };
  const past = new CallPast(
    { has: () => true },
    () => 1,
    (of, sinceMs) => (of === line && sinceMs === AT - 24 * HOUR_MS ? [stood] : []),
  );
  expect(past.usualOf(line, false, AT, Number.POSITIVE_INFINITY)).toBe(usual);
  expect(asked).toEqual([
    {
      fromMs: AT - 24 * HOUR_MS,
      toMs: AT - 10 * MINUTE_MS,
      troubles: [{ fromMs: stood.fromMs - 10 * MINUTE_MS, toMs: stood.toMs }],
    },
  ]);
});

it("learns nothing while it is out of the ordinary, nor before it is due again", () => {
  let times = 0;
  const line = { key: "h1", learn: () => ({ calls: ++times * 1000 }) as CallUsual } as unknown as CallLine;
  const past = new CallPast({ has: () => true }, () => 1);
  const at = (minutes: number, isOdd = false) =>
    past.usualOf(line, isOdd, AT + minutes * MINUTE_MS, Number.POSITIVE_INFINITY)?.calls;
  expect([at(0), at(60), at(190, true), at(191)]).toEqual([1000, 1000, 1000, 2000]);
});
