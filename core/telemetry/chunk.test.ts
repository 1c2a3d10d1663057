import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { BitReader, BitWriter } from "./bits";
import { decodeChunk, encodeChunk, summarise, type Samples } from "./chunk";

const samplesOf = (rows: readonly (readonly [number, number])[]): Samples => ({
  times: Float64Array.from(rows, ([at]) => at),
  values: Float64Array.from(rows, ([, value]) => value),
});
const step = fc.oneof(fc.constant(15_000), fc.integer({ min: 1, max: 20_000 }), fc.integer({ min: 1, max: 4e9 }));
const odd = fc.constantFrom(
  Number.NaN,
  Number.POSITIVE_INFINITY,
  Number.NEGATIVE_INFINITY,
  -0,
  0,
  Number.MIN_VALUE,
  Number.MAX_VALUE,
  Number.MAX_SAFE_INTEGER,
  2 ** 51,
  -(2 ** 51),
  0.1 + 0.2,
);
const decimal = fc
  .tuple(fc.integer({ min: -1e9, max: 1e9 }), fc.integer({ min: 0, max: 7 }))
  .map(([whole, places]) => whole / 10 ** places);
/** Whole series of one nature, so that every way of packing is met, and mixtures. */
const values = fc.oneof(
  fc.constant(fc.double()),
  fc.constant(decimal),
  fc.constant(fc.integer({ min: 0, max: 100 })),
  fc.constant(fc.integer({ min: 0, max: 1e6 }).map((pages) => pages * 4096)),
  fc.constant(fc.oneof(decimal, odd)),
  fc.constant(fc.constant(5)),
);
const series = fc.tuple(fc.integer({ min: 0, max: 4_102_444_800_000 }), values).chain(([start, value]) =>
  fc.array(fc.tuple(step, value), { minLength: 1, maxLength: 300 }).map((steps) => {
    let at = start;
    return samplesOf(steps.map(([distance, one]) => [(at += distance), one] as const));
  }),
);

describe("packed samples", () => {
  it("come back bit for bit", () => {
    fc.assert(
      fc.property(series, (samples) => {
        const count = samples.times.length;
        const back = decodeChunk(encodeChunk(samples, count), count);
        return samples.times.every(
          (at, index) => back.times[index] === at && Object.is(back.values[index], samples.values[index]),
        );
      }),
      { numRuns: 600 },
    );
  });

  it("are only as many as asked for", () => {
    const samples = samplesOf([
      [1000, 1],
      [2000, 2],
      [3000, 99],
    ]);
    expect([...decodeChunk(encodeChunk(samples, 2), 2).values]).toEqual([1, 2]);
  });

  it("say so when the bytes are cut short", () => {
    const samples = samplesOf([
      [1000, 1.5],
      [2000, Math.PI],
      [3000, 3.125],
    ]);
    const bytes = encodeChunk(samples, 3);
    expect(() => decodeChunk(bytes.slice(0, bytes.length - 6), 3)).toThrow(/end in the middle/);
  });

  it("are summed up without what is no number", () => {
    expect(
      summarise(
        samplesOf([
          [1000, 5],
          [2000, -1],
          [3000, Number.NaN],
          [4000, Number.POSITIVE_INFINITY],
          [5000, 9],
        ]),
        5,
      ),
    ).toEqual({
      startMs: 1000,
      endMs: 5000,
      count: 5,
      min: -1,
      max: Number.POSITIVE_INFINITY,
      sum: 13,
      last: 9,
      plain: false,
    });
  });
});

describe("numbers bit by bit", () => {
  it("come back whatever their lengths", () => {
    const part = fc.oneof(
      fc
        .tuple(fc.integer({ min: 1, max: 32 }), fc.nat({ max: 0xffffffff }))
        .map(([count, value]) => ({ count, value: count === 32 ? value : value % 2 ** count })),
      fc.maxSafeNat().map((value) => ({ count: 0, value })),
    );
    fc.assert(
      fc.property(fc.array(part, { maxLength: 200 }), (parts) => {
        const writer = new BitWriter();
        for (const { count, value } of parts)
          if (count) writer.write(value, count);
          else writer.writeSized(value);
        const reader = new BitReader(writer.toBytes());
        return parts.every(({ count, value }) => (count ? reader.read(count) : reader.readSized()) === value);
      }),
    );
  });

  it("come back in Rice's code, small and large mixed", () => {
    fc.assert(
      fc.property(
        fc.array(fc.oneof(fc.nat({ max: 9 }), fc.nat({ max: 1e6 }), fc.maxSafeNat()), { maxLength: 100 }),
        (numbers) => {
          const writer = new BitWriter();
          writer.writeRice(Float64Array.from(numbers), numbers.length);
          return [...new BitReader(writer.toBytes()).readRice(numbers.length)].every(
            (number, index) => number === numbers[index],
          );
        },
      ),
    );
  });
});
