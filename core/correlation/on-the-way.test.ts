import fc from "fast-check";
import { expect, it } from "vitest";
import { lateLines, type Crossing } from "./on-the-way";

const calls = (line: string, nowMs: number[], beforeMs: number[]): Crossing => ({ line, nowMs, beforeMs });
const four = (ms: number) => [ms, ms, ms, ms];

it("a line is late where most calls over it spend far more time there than before", () => {
  expect(lateLines([calls("n-t", [1400, 1420, 1410, 1430, 11], four(11))])).toEqual([
    { line: "n-t", nowMs: 1410, beforeMs: 11 },
  ]);
  // A part of them only, to one that is asked: that one lets them wait.
  expect(lateLines([calls("n-t", four(1400), four(11)), calls("n-t", [...four(11), ...four(11)], four(11))])).toEqual(
    [],
  );
  // Longer, but hardly.
  expect(lateLines([calls("n-t", four(40), four(11))])).toEqual([]);
  expect(lateLines([calls("n-t", four(500), four(300))])).toEqual([]);
  // Of too few calls nothing is said, now or before.
  expect(lateLines([calls("n-t", [1400], four(11)), calls("n-t", [1400, 1400], [11])])).toEqual([]);
  expect(lateLines([calls("n-t", four(1400), [11])])).toEqual([]);
});

it("what is known of one line says nothing of another", () => {
  const times = fc.array(fc.double({ min: 0, max: 5000, noNaN: true }), { maxLength: 8 });
  const crossing = (line: string) => fc.record({ line: fc.constant(line), nowMs: times, beforeMs: times });
  fc.assert(
    fc.property(fc.array(crossing("a")), fc.array(crossing("b")), (a, b) => {
      expect(lateLines([...a, ...b])).toEqual([...lateLines(a), ...lateLines(b)]);
      for (const { nowMs, beforeMs } of lateLines(a)) expect(nowMs).toBeGreaterThan(beforeMs);
    }),
  );
});
