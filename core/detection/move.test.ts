import { expect, test } from "vitest";
import { move, moveSettings, type MoveSettings } from "./move";

const settings = (more: Partial<Record<keyof MoveSettings, unknown>> = {}) =>
  moveSettings.parse({ metric: "memory.used", by: 50, minutes: 10, ...more });
const JUDGED = { instance: "", unit: "%" };
const run = (given: MoveSettings, values: readonly number[]) => {
  const state = move.fresh();
  return values.map((value, minute) => move.evaluate(given, state, { atMs: minute * 60_000, value }, JUDGED));
};

test("a rise within the span is told of with where it began", () => {
  const said = run(settings(), [40, 38, 40, 45, 52, 60]);
  expect(said.slice(0, 5)).toEqual([undefined, undefined, undefined, undefined, undefined]);
  expect(said[5]).toMatchObject({
    severity: "minor",
    onsetMs: 60_000,
    text: "Memory usage rose from 38.0 % to 60.0 % within 4 min",
  });
});

test("the same rise over a longer time is none", () => {
  const slow = Array.from({ length: 60 }, (_, minute) => 40 + minute * 0.5);
  expect(run(settings(), slow).every((one) => one === undefined)).toBe(true);
});

test("it is over when the move is, not before", () => {
  const said = run(settings(), [40, 62, 62, 60, ...Array.from({ length: 12 }, () => 61)]);
  expect(said[1]?.severity).toBe("minor");
  const cleared = said.findIndex((one) => one?.severity === "cleared");
  // The low value has to leave the span of ten minutes.
  expect(cleared).toBe(11);
});

test("a fall is another direction, and units are counted as they are", () => {
  const down = settings({ direction: "below", as: "units", by: 20 });
  const said = run(down, [90, 95, 74]);
  expect(said[2]).toMatchObject({ text: "Memory usage fell from 95.0 % to 74.0 % within 1 min" });
  expect(run(down, [74, 90, 95]).every((one) => one === undefined)).toBe(true);
});

test("of nothing there is no share, and what is no number is not judged", () => {
  expect(run(settings(), [0, 5, Number.NaN, 9]).every((one) => one === undefined)).toBe(true);
});
