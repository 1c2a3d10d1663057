import { expect, test } from "vitest";
import { difference, differenceSettings, type DifferenceSettings } from "./difference";

const settings = (more: Partial<Record<keyof DifferenceSettings, unknown>> = {}) =>
  differenceSettings.parse({ metric: "cpu.core.used", by: 40, samples: 3, ...more });
const run = (given: DifferenceSettings, rows: readonly [value: number, ...others: number[]][]) => {
  const state = difference.fresh();
  return rows.map(([value, ...others], index) =>
    difference.evaluate(given, state, { atMs: index * 15_000, value, others }, { instance: "3", unit: "%" }),
  );
};

test("one that is far above the median of the others is told of, from when it was", () => {
  const said = run(settings(), [
    [20, 18, 22, 90],
    [80, 18, 22, 21],
    [90, 18, 22, 25],
    [95, 18, 22, 25],
  ]);
  expect(said[2]).toMatchObject({ severity: "minor", onsetMs: 15_000 });
  expect(said[2]?.text).toBe("CPU usage of core 3 at 90.0 %, while the median of its siblings is 22.0 %");
  expect(said[3]).toBeUndefined();
});

test("when all rise together nobody is apart", () => {
  const said = run(settings(), [
    [90, 88, 92],
    [95, 94, 96],
    [99, 98, 99],
  ]);
  expect(said.every((one) => one === undefined)).toBe(true);
});

test("it is over when it is like the others again", () => {
  const apart: [number, ...number[]][] = Array.from({ length: 3 }, () => [90, 20, 22]);
  const alike: [number, ...number[]][] = Array.from({ length: 3 }, () => [21, 20, 22]);
  const said = run(settings(), [...apart, ...alike]);
  expect(said.at(-1) ?? said.at(-2)).toMatchObject({ severity: "cleared" });
});

test("with one other nobody can say who is odd among siblings; two cores can be told apart", () => {
  const rows: [number, number][] = Array.from({ length: 3 }, () => [90, 20]);
  expect(run(settings(), rows).every((one) => one === undefined)).toBe(true);
  expect(run(settings({ against: "instances" }), rows)[2]?.severity).toBe("minor");
});
