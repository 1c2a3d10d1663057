import { BitReader, BitWriter } from "./bits";
import { readInstants, writeInstants, type Samples } from "./chunk";
import { readColumn, writeColumn } from "./column";

/**
 * Spans of time with what was measured in them: columns of equal length, starts rise, spans without a sample are left
 * out. NaN samples take no part; infinities count and take part in the extremes, but not in the sum.
 */
export interface Spans {
  /** Epoch milliseconds, whole multiples of the step. */
  starts: Float64Array;
  count: Float64Array;
  min: Float64Array;
  max: Float64Array;
  sum: Float64Array;
  last: Float64Array;
}

const COLUMNS = ["count", "min", "max", "sum", "last"] as const;

export function emptySpans(length = 0): Spans {
  const column = () => new Float64Array(length);
  return { starts: column(), count: column(), min: column(), max: column(), sum: column(), last: column() };
}

/** Room for spans that is used again and again: what was taken before is overwritten. */
export class SpanRoom {
  private room = emptySpans();

  /** Spans of a length; what they hold is anything. */
  take(length: number): Spans {
    if (this.room.starts.length < length) this.room = emptySpans(2 * length);
    return sliceSpans(this.room, 0, length);
  }
}

/** A part of spans, sharing their memory. */
export function sliceSpans(spans: Spans, from: number, to: number): Spans {
  const cut = (column: Float64Array) => column.subarray(from, to);
  return {
    starts: cut(spans.starts),
    count: cut(spans.count),
    min: cut(spans.min),
    max: cut(spans.max),
    sum: cut(spans.sum),
    last: cut(spans.last),
  };
}

/** One after the other; the first must end before the second begins. What is there alone is given back as it is. */
export function joinSpans(all: readonly Spans[]): Spans {
  const parts = all.filter((one) => one.starts.length > 0);
  if (parts.length === 1) return parts[0] as Spans;
  const result = emptySpans(parts.reduce((sum, part) => sum + part.starts.length, 0));
  let place = 0;
  for (const part of parts) {
    result.starts.set(part.starts, place);
    for (const column of COLUMNS) result[column].set(part[column], place);
    place += part.starts.length;
  }
  return result;
}

/** Sums samples up by spans of `stepMs`, aligned to the epoch. */
export function rollSamples({ times, values }: Samples, stepMs: number): Spans {
  const single = emptySpans(times.length);
  let place = 0;
  for (let index = 0; index < times.length; index++) {
    const value = values[index] as number;
    if (Number.isNaN(value)) continue;
    single.starts[place] = times[index] as number;
    single.count[place] = 1;
    single.min[place] = single.max[place] = single.last[place] = value;
    single.sum[place++] = Number.isFinite(value) ? value : 0;
  }
  return rollSpans(sliceSpans(single, 0, place), stepMs);
}

/** Sums spans up by longer ones; `stepMs` is a multiple of theirs. */
export function rollSpans(spans: Spans, stepMs: number): Spans {
  const result = emptySpans(spans.starts.length);
  let place = -1;
  let end = Number.NEGATIVE_INFINITY;
  for (let index = 0; index < spans.starts.length; index++) {
    const at = spans.starts[index] as number;
    const min = spans.min[index] as number;
    const max = spans.max[index] as number;
    if (at >= end) {
      place++;
      const start = Math.floor(at / stepMs) * stepMs;
      end = start + stepMs;
      result.starts[place] = start;
      result.min[place] = min;
      result.max[place] = max;
    } else {
      if (min < (result.min[place] as number)) result.min[place] = min;
      if (max > (result.max[place] as number)) result.max[place] = max;
    }
    result.count[place] = (result.count[place] as number) + (spans.count[index] as number);
    result.sum[place] = (result.sum[place] as number) + (spans.sum[index] as number);
    result.last[place] = spans.last[index] as number;
  }
  return sliceSpans(result, 0, place + 1);
}

/** Packs one or more spans without loss. */
export function encodeSpans(spans: Spans): Uint8Array {
  const bits = new BitWriter();
  writeInstants(bits, spans.starts, spans.starts.length);
  for (const column of COLUMNS) writeColumn(bits, spans[column], spans.starts.length);
  return bits.toBytes();
}

/**
 * Unpacks what `encodeSpans` packed. Throws a RangeError when the bytes end too early.
 * @param withLast the last values are packed last: who does not look at them need not wait for them
 * @param into room for them, from the first place of each column on
 */
export function decodeSpans(
  bytes: Uint8Array,
  length: number,
  withLast = true,
  into: Spans = emptySpans(length),
): Spans {
  const bits = new BitReader(bytes);
  readInstants(bits, length, into.starts);
  for (const column of COLUMNS) if (withLast || column !== "last") readColumn(bits, length, into[column]);
  return into;
}
