import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { toEnvelope, withGaps } from "./envelope";

const samplesOf = (values: readonly number[], step = 1000) => ({
  times: Float64Array.from(values, (_, index) => index * step),
  values: Float64Array.from(values),
});

describe("thinning for a drawing", () => {
  it("keeps every extreme and every sample's share of the mean", () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ noNaN: true, min: -1e6, max: 1e6 }), { minLength: 1, maxLength: 500 }),
        fc.integer({ min: 1, max: 80 }),
        (values, width) => {
          const samples = samplesOf(values);
          const points = toEnvelope(samples, 0, values.length * 1000, width);
          const total = points.reduce((sum, point) => sum + point.mean * point.count, 0);
          const exact = values.reduce((sum, value) => sum + value, 0);
          return (
            points.length <= width &&
            Math.min(...points.map((point) => point.min)) === Math.min(...values) &&
            Math.max(...points.map((point) => point.max)) === Math.max(...values) &&
            points.reduce((sum, point) => sum + point.count, 0) === values.length &&
            Math.abs(total - exact) <= 1e-6 * (1 + values.length * 1e6)
          );
        },
      ),
    );
  });
  it("leaves out what is outside the window, and NaN", () =>
    expect(toEnvelope(samplesOf([1, Number.NaN, 3, 4]), 1000, 2000, 10).map((point) => point.mean)).toEqual([3]));
});

describe("gaps", () => {
  const at = (...times: number[]) => times.map((atMs) => ({ atMs, min: 1, mean: 1, max: 1, count: 1 }));
  const holes = (points: ReturnType<typeof at>) =>
    withGaps(points)
      .filter((point) => Number.isNaN(point.mean))
      .map((point) => point.atMs);
  it("are set where data is missing", () => expect(holes(at(0, 300, 600, 3600, 3900))).toEqual([2100]));
  it("are not set where the pace of polling changes", () =>
    expect(holes(at(0, 300, 600, 900, 915, 930, 945))).toEqual([]));
  it("are not set where points stand early and late in their spans", () => {
    expect(withGaps(at(0, 60, 119, 121, 180), 60).filter((point) => Number.isNaN(point.mean))).toEqual([]);
    expect(withGaps(at(0, 60, 119, 121, 400), 60).filter((point) => Number.isNaN(point.mean))).toHaveLength(1);
  });
  it("are not set between two points", () => expect(holes(at(0, 9000))).toEqual([]));
});
