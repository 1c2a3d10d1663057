import fc from "fast-check";
import { expect, it } from "vitest";
import { Staged } from "./staged";

/** Batches of writes, each with what becomes of it and how many are under way at once. */
const batches = fc.array(
  fc.record({
    writes: fc.array(fc.tuple(fc.integer({ min: 0, max: 5 }), fc.integer({ min: 1, max: 99 }))),
    kept: fc.boolean(),
  }),
  { maxLength: 20 },
);

it("is, after any batches, what the kept ones alone would have made of it", () => {
  fc.assert(
    fc.property(batches, fc.integer({ min: 1, max: 4 }), (list, atOnce) => {
      const staged = new Staged<number, number>(1000);
      const plain = new Map<number, number>();
      const waiting: { overlay: Map<number, number>; kept: boolean }[] = [];
      const answer = () => {
        const one = waiting.shift();
        if (!one) return;
        if (!one.kept) return staged.abandon(one.overlay);
        staged.settle(one.overlay);
        for (const [key, value] of one.overlay) plain.set(key, value);
      };
      for (const { writes, kept } of list) {
        for (const [key, value] of writes) staged.set(key, value);
        waiting.push({ overlay: staged.take(), kept });
        if (waiting.length >= atOnce) answer();
      }
      while (waiting.length) answer();
      for (let key = 0; key <= 5; key++) expect(staged.get(key)).toBe(plain.get(key));
    }),
  );
});

it("shows later batches what is under way", () => {
  const staged = new Staged<string, number>(10);
  staged.set("a", 1);
  const first = staged.take();
  expect(staged.get("a")).toBe(1);
  staged.abandon(first);
  expect(staged.get("a")).toBeUndefined();
});

it("forgets what was not touched for longest when it weighs too much", () => {
  const staged = new Staged<string, number[]>(10, (value) => value.length);
  for (const key of ["a", "b", "c"]) staged.set(key, [1, 2, 3]);
  staged.settle(staged.take());
  staged.set("a", [1, 2, 3, 4]);
  staged.settle(staged.take());
  staged.set("d", [1, 2, 3]);
  staged.settle(staged.take());
  expect(["a", "b", "c", "d"].map((key) => staged.get(key) !== undefined)).toEqual([true, false, true, true]);
});
