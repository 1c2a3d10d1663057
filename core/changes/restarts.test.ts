import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { Restarts } from "./restarts";

const MINUTE = 60_000;
/** Identities that are told of, look by look, a minute apart. */
const told = (looks: readonly (readonly number[])[]) => {
  const restarts = new Restarts();
  return looks.map((pids, at) => restarts.look([[1, pids]], at * MINUTE).restarts.map((one) => one.pids ?? []));
};

describe("restarts", () => {
  it("are told once, when another process runs in the place of the one before", () => {
    expect(told([[7], [7], [9], [9], [9]])).toEqual([[], [], [[7, 9]], [], []]);
  });
  it("are told when it runs again after it was gone", () => {
    expect(told([[7], [7], [], [], [9]])).toEqual([[], [], [], [], [[7, 9]]]);
  });
  it("are not told of workers that come and go beside others, but of all that were put in others' place", () => {
    expect(told([[1, 2], [2, 3], [3, 4], [4], [8, 9]]).map((list) => list.length)).toEqual([0, 0, 0, 0, 1]);
  });
  it("are not told of what never stays, nor without end of what fails to start", () => {
    expect(told([[1], [2], [3], [4]]).flat()).toEqual([]);
    const often = told(Array.from({ length: 40 }, (_, at) => [Math.floor(at / 2)])).flat();
    expect(often).toHaveLength(3);
  });
  it("are never told of what keeps a process, whatever else comes and goes", () => {
    const others = fc.array(fc.integer({ min: 2, max: 99 }), { maxLength: 5 });
    fc.assert(
      fc.property(fc.array(others, { maxLength: 30 }), (looks) => {
        expect(told(looks.map((pids) => [1, ...pids])).flat()).toEqual([]);
      }),
    );
  });
  it("are counted over a quarter of an hour while one follows the other, down to none, and not of what never stays", () => {
    const countsOf = (looks: readonly number[]) => {
      const restarts = new Restarts();
      return looks.map((pid, at) => restarts.look([[1, [pid]]], at * MINUTE).counts.get(1));
    };
    expect(countsOf([1, 1, 2, 3, 4, 4])).toEqual([undefined, undefined, 1, 2, 3, 3]);
    expect(countsOf([1, 2, 3, 4])).toEqual([undefined, undefined, undefined, undefined]);
    const over = countsOf([1, 1, ...Array.from({ length: 18 }, () => 2)]);
    expect(over.slice(15)).toEqual([1, 1, 0, undefined, undefined]);
  });
  it("of what is watched no longer are forgotten", () => {
    const restarts = new Restarts();
    for (const at of [0, 1]) restarts.look([[1, [7]]], at * MINUTE);
    restarts.keep(new Set([2]));
    expect(restarts.look([[1, [9]]], 2 * MINUTE).restarts).toEqual([]);
  });
});
