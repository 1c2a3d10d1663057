import fc from "fast-check";
import { expect, it } from "vitest";
import { LogCounts, type LogTally } from "./log-counts";

const FROM = Date.UTC(2026, 2, 1, 10, 0);
const TO = FROM + 3_600_000;
const sender = (id: number) => (id === 9 ? undefined : { componentId: id, name: `host-${id}`, kind: "host.linux" });
const tally = (atMs: number, severity: number, count: number, resourceId = 1, patternId = 1): LogTally => ({
  atMs,
  severity,
  count,
  resourceId,
  patternId,
});

it("counts by bar, level, sender and pattern", () => {
  const counts = new LogCounts(FROM, TO, 600_000, sender);
  counts.add(tally(FROM + 1000, 9, 3));
  counts.add(tally(FROM + 700_000, 17, 2, 2, 5));
  counts.add(tally(FROM + 700_000, 17, 1, 9, 5));
  expect(counts.total).toBe(6);
  expect([...counts.bars]).toEqual([
    [FROM, { info: 3 }],
    [FROM + 600_000, { error: 3 }],
  ]);
  expect([...counts.levels]).toEqual([
    ["info", 3],
    ["error", 3],
  ]);
  expect([...counts.senders.values()].map(({ name, count }) => [name, count])).toEqual([
    ["host-1", 3],
    ["host-2", 2],
    ["unnamed sender", 1],
  ]);
  expect(counts.patterns.get(5)).toMatchObject({ count: 3, worst: 17 });
  expect([...(counts.patterns.get(5)?.senders ?? [])]).toEqual([
    ["host-2", 2],
    ["unnamed sender", 1],
  ]);
});

it("puts a tally that began before the window at its start, and one at its end into the last part", () => {
  const counts = new LogCounts(FROM + 30_000, TO, 60_000, sender);
  counts.add(tally(FROM, 9, 4));
  counts.add(tally(TO, 9, 1));
  expect(counts.bars.get(FROM)).toEqual({ info: 4 });
  const sparks = counts.patterns.get(1)?.sparks ?? [];
  expect([sparks[0], sparks[31]]).toEqual([4, 1]);
});

it("loses and doubles nothing, whatever comes", () => {
  const any = fc.record({
    atMs: fc.integer({ min: FROM - 60_000, max: TO }),
    patternId: fc.integer({ min: 1, max: 4 }),
    resourceId: fc.integer({ min: 1, max: 9 }),
    severity: fc.integer({ min: 0, max: 24 }),
    count: fc.integer({ min: 1, max: 1000 }),
  });
  fc.assert(
    fc.property(fc.array(any), (tallies) => {
      const counts = new LogCounts(FROM, TO, 60_000, sender);
      for (const one of tallies) counts.add(one);
      const all = tallies.reduce((sum, one) => sum + one.count, 0);
      const sum = (values: Iterable<number>) => [...values].reduce((total, value) => total + value, 0);
      expect(counts.total).toBe(all);
      expect(sum([...counts.bars.values()].flatMap((bar) => Object.values(bar)))).toBe(all);
      expect(sum(counts.levels.values())).toBe(all);
      expect(sum([...counts.senders.values()].map((one) => one.count))).toBe(all);
      expect(sum([...counts.patterns.values()].flatMap((one) => one.sparks))).toBe(all);
    }),
  );
});
