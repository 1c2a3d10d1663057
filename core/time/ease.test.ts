import fc from "fast-check";
import { expect, test } from "vitest";
import { eased, type Ease } from "./ease";

const calm: Ease = { pace: 6, calmSinceMs: 0 };

test("a hold-up slows the clock at once, down to a third and never below real time", () => {
  const once = eased(calm, 6, 700, 1000);
  expect(once.pace).toBe(3);
  expect(eased(once, 6, 700, 2000).pace).toBe(2);
  expect(eased(eased(once, 6, 700, 2000), 6, 900, 3000).pace).toBe(2);
  expect(eased({ pace: 2, calmSinceMs: 0 }, 2, 900, 1000).pace).toBe(1);
});

test("it goes faster again by steps, each after a calm while", () => {
  let state: Ease = { pace: 2, calmSinceMs: 0 };
  const seen: number[] = [];
  for (let at = 1000; at <= 16_000; at += 1000) seen.push((state = eased(state, 6, 10, at)).pace);
  expect([seen[1], seen[2], seen[5], seen[8]]).toEqual([2, 3, 4.5, 6]);
  // Something in between keeps the pace and begins the calm anew.
  expect(eased({ pace: 3, calmSinceMs: 0 }, 6, 400, 20_000)).toEqual({ pace: 3, calmSinceMs: 20_000 });
});

test("whatever happens, it stays between real time and what was asked for", () => {
  fc.assert(
    fc.property(fc.array(fc.tuple(fc.integer({ min: 1, max: 60 }), fc.integer({ min: 0, max: 5000 }))), (steps) => {
      let state: Ease = { pace: 1, calmSinceMs: 0 };
      steps.forEach(([wanted, heldUp], index) => {
        state = eased(state, wanted, heldUp, index * 1000);
        expect(state.pace).toBeGreaterThanOrEqual(1);
        expect(state.pace).toBeLessThanOrEqual(wanted);
      });
    }),
  );
});
