import { expect, it } from "vitest";
import { machineSpanMs, readClock } from "./clock";

it("runs at its pace from where it was set", () => {
  const setting = { baseMs: 1_000_000, machineMs: 50_000, pace: 6 };
  expect(readClock(setting, 50_000)).toBe(1_000_000);
  expect(readClock(setting, 60_000)).toBe(1_060_000);
  expect(machineSpanMs(setting, 60_000)).toBe(10_000);
});

it("stands still at pace 0, and waits in real time then", () => {
  const setting = { baseMs: 7, machineMs: 0, pace: 0 };
  expect(readClock(setting, 99_999)).toBe(7);
  expect(machineSpanMs(setting, 500)).toBe(500);
});
