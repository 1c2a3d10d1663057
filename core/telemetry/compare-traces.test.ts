import { expect, it } from "vitest";
import { compareTraces } from "./compare-traces";

const steps = (...rows: [path: string, ownMs: number][]) =>
  rows.map(([path, ownMs]) => ({ path, depth: path.split("\n").length - 2, ownMs }));

it("brings steps together by their places, and keeps the order of both", () => {
  const rows = compareTraces(
    steps(["\na", 10], ["\na\nb", 5], ["\na\nd", 1]),
    steps(["\na", 4], ["\na\nb", 5], ["\na\nc", 7], ["\na\nd", 3]),
  );
  expect(rows.map((row) => [row.path, row.differenceMs])).toEqual([
    ["\na", 6],
    ["\na\nb", 0],
    ["\na\nc", -7],
    ["\na\nd", -2],
  ]);
  expect(rows[2]).toMatchObject({ one: undefined, other: { ownMs: 7 } });
});

it("compares with nothing", () => {
  expect(compareTraces([], steps(["\na", 2])).map((row) => row.differenceMs)).toEqual([-2]);
  expect(compareTraces(steps(["\na", 2]), []).map((row) => row.other)).toEqual([undefined]);
});
