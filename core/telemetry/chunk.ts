import { BitReader, BitWriter, scratch } from "./bits";
import { commonDivisor, readColumn, unzigzag, writeColumn, zigzag } from "./column";

/** Samples of one series; both arrays have the same length, instants rise. */
export interface Samples {
  /** Epoch milliseconds. */
  times: Float64Array;
  values: Float64Array;
}

/**
 * What is kept beside the packed bytes so that many questions need no unpacking; NaN and infinities stay out of `sum`.
 */
export interface ChunkSummary {
  startMs: number;
  endMs: number;
  count: number;
  min: number;
  max: number;
  sum: number;
  last: number;
  /** Whether every sample is a finite number. */
  plain: boolean;
}

const writer = new BitWriter();

/**
 * Packs the first `count` (1 or more) samples: instants as delta of delta (Pelkonen et al., VLDB 2015, §4.1.1) in
 * units of their common divisor and in Rice's code, then the column of values. Samples on time cost no bits for their
 * instants.
 */
export function encodeChunk({ times, values }: Samples, count: number): Uint8Array {
  const bits = writer.clear();
  writeInstants(bits, times, count);
  writeColumn(bits, values, count);
  return bits.toBytes();
}

/** Unpacks `count` samples. Throws a RangeError when the bytes end too early. */
export function decodeChunk(bytes: Uint8Array, count: number): Samples {
  const bits = new BitReader(bytes);
  return { times: readInstants(bits, count), values: readColumn(bits, count) };
}

/** Packs rising whole numbers of milliseconds. */
export function writeInstants(bits: BitWriter, times: Float64Array, count: number): void {
  bits.writeSized(times[0] as number);
  if (count < 2) return;
  const steps = scratch(3, count);
  for (let index = 1; index < count; index++)
    steps[index - 1] = (times[index] as number) - (times[index - 1] as number);
  const unit = commonDivisor(steps, count - 1);
  bits.writeSized(unit);
  bits.writeSized((steps[0] as number) / unit);
  const changes = scratch(4, count);
  for (let index = 1; index < count - 1; index++)
    changes[index - 1] = zigzag(((steps[index] as number) - (steps[index - 1] as number)) / unit);
  bits.writeRice(changes, count - 2);
}

export function readInstants(
  bits: BitReader,
  count: number,
  times: Float64Array = new Float64Array(count),
): Float64Array {
  let at = bits.readSized();
  times[0] = at;
  if (count < 2) return times;
  const unit = bits.readSized();
  let step = bits.readSized();
  at += step * unit;
  times[1] = at;
  bits.readRice(count - 2, 2, times);
  // The changes of the steps become the instants where they stand.
  for (let index = 2; index < count; index++) {
    step += unzigzag(times[index] as number);
    at += step * unit;
    times[index] = at;
  }
  return times;
}

/** Minimum, maximum, sum and last of the first `count` samples. NaN takes no part in the extremes. */
export function summarise({ times, values }: Samples, count: number): ChunkSummary {
  let min = Number.POSITIVE_INFINITY;
  let max = Number.NEGATIVE_INFINITY;
  let sum = 0;
  let plain = true;
  for (let index = 0; index < count; index++) {
    const value = values[index] as number;
    if (value < min) min = value;
    if (value > max) max = value;
    // Of all numbers only NaN and the infinities do not leave zero when taken from themselves.
    if (value - value === 0) sum += value;
    else plain = false;
  }
  return {
    startMs: times[0] as number,
    endMs: times[count - 1] as number,
    count,
    min,
    max,
    sum,
    last: values[count - 1] as number,
    plain,
  };
}
