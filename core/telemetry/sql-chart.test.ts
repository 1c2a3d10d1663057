import { expect, it } from "vitest";
import { linesOfRows } from "./sql-chart";

it("draws numbers over time, told apart by words", () => {
  const lines = linesOfRows(
    ["at", "component", "value"],
    [
      ["2026-03-17T10:01:00.000Z", "b", 2],
      ["2026-03-17T10:00:00.000Z", "b", 1],
      ["2026-03-17T10:00:00.000Z", "a", null],
      ["2026-03-17T10:02", "a", 5],
    ],
  );
  expect(lines).toEqual([
    {
      label: "b",
      points: [
        [Date.parse("2026-03-17T10:00:00Z"), 1],
        [Date.parse("2026-03-17T10:01:00Z"), 2],
      ],
    },
    { label: "a", points: [[Date.parse("2026-03-17T10:02:00Z"), 5]] },
  ]);
  expect(
    linesOfRows(
      ["hour", "calls", "failed"],
      [
        ["2026-03-17 10", 1, 0],
        ["2026-03-17 11", 3, 1],
      ],
    )?.map((line) => line.label),
  ).toEqual(["calls", "failed"]);
});

it("draws nothing where there is no time, no number or one instant", () => {
  expect(
    linesOfRows(
      ["name", "value"],
      [
        ["a", 1],
        ["b", 2],
      ],
    ),
  ).toBeUndefined();
  expect(
    linesOfRows(
      ["at", "name"],
      [
        ["2026-03-17T10:00Z", "a"],
        ["2026-03-17T11:00Z", "b"],
      ],
    ),
  ).toBeUndefined();
  expect(linesOfRows(["at", "value"], [["2026-03-17T10:00Z", 1]])).toBeUndefined();
  expect(linesOfRows([], [])).toBeUndefined();
});
