/**
 * Samples packed after Pelkonen et al., "Gorilla: a fast, scalable, in-memory time series database" (VLDB 2015, §4.1):
 * instants as delta of delta, values as XOR with the value before. The paper counts in seconds; here instants are
 * whole milliseconds, so the steps of the delta code are wider: 0 | ±2^13 | ±2^19 | ±2^27 | any.
 * Values come back bit for bit, NaN and infinities too.
 */

const float = new Float64Array(1);
const words = new Uint32Array(float.buffer);
/** Where the high word of a double sits on this machine. */
const HIGH = new Uint8Array(new Uint32Array([1]).buffer)[0] === 1 ? 1 : 0;
const LOW = 1 - HIGH;
const TWO32 = 4_294_967_296;

class BitWriter {
  bytes = new Uint8Array(64);
  /** Bits written so far. */
  length = 0;

  /** Writes the lowest `count` bits (1 to 32) of an unsigned number. */
  write(value: number, count: number): void {
    if (this.length + count > this.bytes.length * 8 - 32) {
      const wider = new Uint8Array(this.bytes.length * 2);
      wider.set(this.bytes);
      this.bytes = wider;
    }
    let rest = count;
    while (rest > 0) {
      const free = 8 - (this.length & 7);
      const take = Math.min(free, rest);
      const part = (value >>> (rest - take)) & (0xff >>> (8 - take));
      const place = this.length >>> 3;
      this.bytes[place] = (this.bytes[place] as number) | (part << (free - take));
      this.length += take;
      rest -= take;
    }
  }
}

class BitReader {
  private place = 0;
  constructor(private readonly bytes: Uint8Array) {}

  read(count: number): number {
    let value = 0;
    let rest = count;
    while (rest > 0) {
      const byte = this.bytes[this.place >>> 3];
      if (byte === undefined) throw new RangeError("The chunk ends in the middle of a sample.");
      const left = 8 - (this.place & 7);
      const take = Math.min(left, rest);
      value = ((value << take) | ((byte >>> (left - take)) & (0xff >>> (8 - take)))) >>> 0;
      this.place += take;
      rest -= take;
    }
    return value;
  }
}

/** Samples of one series; both arrays have the same length, instants rise. */
export interface Samples {
  /** Epoch milliseconds. */
  times: Float64Array;
  values: Float64Array;
}

/** What is kept beside the packed bytes so that many questions need no unpacking. */
export interface ChunkSummary {
  startMs: number;
  endMs: number;
  count: number;
  min: number;
  max: number;
  sum: number;
  last: number;
}

/** Packs samples of one series as they come; instants must not fall behind. */
export class ChunkEncoder implements ChunkSummary {
  private readonly bits = new BitWriter();
  private lastDelta = 0;
  private lastHigh = 0;
  private lastLow = 0;
  private leading = 255;
  private trailing = 0;
  startMs = 0;
  endMs = 0;
  count = 0;
  min = Number.POSITIVE_INFINITY;
  max = Number.NEGATIVE_INFINITY;
  sum = 0;
  last = Number.NaN;

  /** @returns false when the instant is not later than the last one; the sample is then not taken */
  append(atMs: number, value: number): boolean {
    if (this.count > 0 && atMs <= this.endMs) return false;
    float[0] = value;
    const high = words[HIGH] as number;
    const low = words[LOW] as number;
    if (this.count === 0) {
      this.startMs = atMs;
      this.bits.write(Math.floor(atMs / TWO32), 32);
      this.bits.write(atMs % TWO32, 32);
      this.bits.write(high, 32);
      this.bits.write(low, 32);
    } else {
      const delta = atMs - this.endMs;
      this.writeStep(delta - this.lastDelta);
      this.lastDelta = delta;
      this.writeXor(high ^ this.lastHigh, low ^ this.lastLow);
    }
    this.lastHigh = high;
    this.lastLow = low;
    this.endMs = atMs;
    this.count++;
    if (value < this.min) this.min = value;
    if (value > this.max) this.max = value;
    if (Number.isFinite(value)) this.sum += value;
    this.last = value;
    return true;
  }

  private writeStep(step: number): void {
    if (step === 0) this.bits.write(0, 1);
    else if (step >= -8192 && step < 8192) this.bits.write((0b10 << 14) | (step + 8192), 16);
    else if (step >= -524_288 && step < 524_288) this.bits.write((0b110 << 20) | (step + 524_288), 23);
    else if (step >= -134_217_728 && step < 134_217_728) {
      this.bits.write(0b1110, 4);
      this.bits.write(step + 134_217_728, 28);
    } else {
      this.bits.write(0b1111, 4);
      this.bits.write(step < 0 ? 1 : 0, 1);
      const size = Math.abs(step);
      this.bits.write(Math.floor(size / TWO32), 21);
      this.bits.write(size % TWO32, 32);
    }
  }

  private writeXor(high: number, low: number): void {
    if (high === 0 && low === 0) {
      this.bits.write(0, 1);
      return;
    }
    const leading = Math.min(31, high !== 0 ? Math.clz32(high) : 32 + Math.clz32(low));
    const trailing = low !== 0 ? 31 - Math.clz32(low & -low) : 63 - Math.clz32(high & -high);
    if (this.leading !== 255 && leading >= this.leading && trailing >= this.trailing) {
      this.bits.write(0b10, 2);
      this.writeMiddle(high, low, this.leading, this.trailing);
      return;
    }
    this.leading = leading;
    this.trailing = trailing;
    this.bits.write(0b11, 2);
    this.bits.write(leading, 5);
    this.bits.write(64 - leading - trailing - 1, 6);
    this.writeMiddle(high, low, leading, trailing);
  }

  /** Writes the bits of a 64-bit pattern from `leading` up to but without the last `trailing`. */
  private writeMiddle(high: number, low: number, leading: number, trailing: number): void {
    if (trailing >= 32) {
      this.bits.write(high >>> (trailing - 32), 64 - leading - trailing);
      return;
    }
    const highBits = 32 - leading;
    this.bits.write(leading === 0 ? high >>> 0 : high & (0xffffffff >>> leading), highBits);
    this.bits.write(low >>> trailing, 32 - trailing);
  }

  /** A copy of the packed bytes so far. */
  toBytes(): Uint8Array {
    return this.bits.bytes.slice(0, Math.ceil(this.bits.length / 8));
  }
}

/** Unpacks `count` samples. Throws a RangeError when the bytes end too early. */
export function decodeChunk(bytes: Uint8Array, count: number): Samples {
  const times = new Float64Array(count);
  const values = new Float64Array(count);
  const bits = new BitReader(bytes);
  let at = 0;
  let delta = 0;
  let high = 0;
  let low = 0;
  let leading = 0;
  let trailing = 0;
  for (let index = 0; index < count; index++) {
    if (index === 0) {
      at = bits.read(32) * TWO32 + bits.read(32);
      high = bits.read(32);
      low = bits.read(32);
    } else {
      delta += readStep(bits);
      at += delta;
      if (bits.read(1) === 1) {
        if (bits.read(1) === 1) {
          leading = bits.read(5);
          trailing = 64 - leading - (bits.read(6) + 1);
        }
        if (trailing >= 32) {
          high ^= bits.read(64 - leading - trailing) << (trailing - 32);
        } else {
          high ^= bits.read(32 - leading);
          low ^= bits.read(32 - trailing) << trailing;
        }
      }
    }
    times[index] = at;
    words[HIGH] = high >>> 0;
    words[LOW] = low >>> 0;
    values[index] = float[0] as number;
  }
  return { times, values };
}

function readStep(bits: BitReader): number {
  if (bits.read(1) === 0) return 0;
  if (bits.read(1) === 0) return bits.read(14) - 8192;
  if (bits.read(1) === 0) return bits.read(20) - 524_288;
  if (bits.read(1) === 0) return bits.read(28) - 134_217_728;
  const negative = bits.read(1) === 1;
  const size = bits.read(21) * TWO32 + bits.read(32);
  return negative ? -size : size;
}
