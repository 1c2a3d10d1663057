import { describe, expect, it } from "vitest";
import { adviseLimit, niceBytes, niceCpus } from "./limits";

const steps = (count: number, value: (index: number) => number) =>
  Float64Array.from({ length: count }, (_, index) => value(index));

describe("a better limit", () => {
  it("covers what was used, with room", () => {
    // 1 to 100 evenly: the 99th percentile is 99.01 (type 7).
    const advice = adviseLimit([{ values: steps(100, (index) => index + 1) }], 99, 500);
    expect(advice?.value).toBeCloseTo(99.01 * 1.15, 9);
    expect(advice).toMatchObject({ covers: 99, atLeast: false });
  });
  it("takes all containers of a workload together", () => {
    const quiet = { values: steps(100, () => 0.1) };
    const busy = { values: steps(100, () => 0.8) };
    expect(adviseLimit([quiet, busy], 99, 1)?.value).toBeCloseTo(0.8 * 1.15, 9);
  });
  it("does not believe what was used while it was held back", () => {
    const held = { values: steps(100, () => 0.06), held: steps(100, () => 80) };
    expect(adviseLimit([held], 99, 0.06)).toEqual({
      value: expect.closeTo(0.09, 9) as number,
      covers: 99,
      atLeast: true,
    });
    // A sibling that was not held back says what is wanted.
    const free = { values: steps(100, () => 0.4), held: steps(100, () => 0) };
    expect(adviseLimit([held, free], 99, 0.06)).toMatchObject({
      value: expect.closeTo(0.46, 9) as number,
      atLeast: true,
    });
  });
  it("is not made up from little, nor from gaps", () => {
    expect(adviseLimit([{ values: steps(10, () => 1) }], 99, 1)).toBeUndefined();
    expect(adviseLimit([{ values: steps(100, () => Number.NaN) }], 99, 1)).toBeUndefined();
  });
  it("is rounded up to what people write", () => {
    expect(niceCpus(0.2301)).toBe(0.24);
    expect(niceCpus(0)).toBe(0.01);
    expect(niceBytes(100 * 2 ** 20)).toBe(112 * 2 ** 20);
  });
});
