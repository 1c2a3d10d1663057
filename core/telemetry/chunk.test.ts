import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { ChunkEncoder, decodeChunk } from "./chunk";

const pack = (samples: readonly (readonly [number, number])[]) => {
  const encoder = new ChunkEncoder();
  for (const [at, value] of samples) encoder.append(at, value);
  return encoder;
};
const double = fc.oneof(fc.double(), fc.constantFrom(Number.NaN, Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, -0, 0, Number.MIN_VALUE, Number.MAX_VALUE), fc.integer({ min: 0, max: 100 }));
const series = fc
  .tuple(fc.integer({ min: 0, max: 4_102_444_800_000 }), fc.array(fc.tuple(fc.oneof(fc.constant(15_000), fc.integer({ min: 1, max: 20_000 }), fc.integer({ min: 1, max: 4e9 })), double), { minLength: 1, maxLength: 300 }))
  .map(([start, steps]) => {
    let at = start;
    return steps.map(([step, value]) => [(at += step), value] as const);
  });

describe("packed samples", () => {
  it("come back bit for bit", () => {
    fc.assert(
      fc.property(series, (samples) => {
        const encoder = pack(samples);
        const { times, values } = decodeChunk(encoder.toBytes(), encoder.count);
        return samples.every(([at, value], index) => times[index] === at && Object.is(values[index], value));
      }),
      { numRuns: 300 },
    );
  });

  it("summarise what they hold", () => {
    const encoder = pack([[1000, 5], [2000, -1], [3000, 9]]);
    expect(encoder).toMatchObject({ startMs: 1000, endMs: 3000, count: 3, min: -1, max: 9, sum: 13, last: 9 });
  });

  it("refuse a sample that is not later than the last", () => {
    const encoder = pack([[1000, 5]]);
    expect(encoder.append(1000, 6)).toBe(false);
    expect(encoder.append(999, 6)).toBe(false);
    expect(encoder.count).toBe(1);
  });

  it("can be read at any moment and go on growing", () => {
    const encoder = pack([[1000, 1.5]]);
    expect([...decodeChunk(encoder.toBytes(), 1).values]).toEqual([1.5]);
    encoder.append(2000, 2.5);
    expect([...decodeChunk(encoder.toBytes(), 2).values]).toEqual([1.5, 2.5]);
  });

  it("say so when the bytes are cut short", () => {
    const encoder = pack([[1000, 1.5], [2000, 2.25], [3000, 3.125]]);
    expect(() => decodeChunk(encoder.toBytes().slice(0, 18), 3)).toThrow(/ends in the middle/);
  });
});
