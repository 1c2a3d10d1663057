import { type BitReader, type BitWriter, riceCost, scratch } from "./bits";

/**
 * Columns of doubles, packed without loss. Most measured values are decimals with few places: those are scaled to whole
 * numbers, freed of their common divisor, and kept as distances from the value before or from the lowest, whichever is
 * shorter, in Rice's code. All others are kept as XOR with the value before, after Pelkonen et al., "Gorilla" (VLDB
 * 2015, §4.1.2). Values come back bit for bit, NaN, infinities and negative zero too.
 */

const float = new Float64Array(1);
const words = new Uint32Array(float.buffer);
/** Where the high word of a double sits on this machine. */
const HIGH = new Uint8Array(new Uint32Array([1]).buffer)[0] === 1 ? 1 : 0;
const LOW = 1 - HIGH;

/** How a column is packed. */
const XOR = 0;
const FROM_BEFORE = 1;
const FROM_LOWEST = 2;
const MOST_PLACES = 6;
const MOST_WHOLE = 2 ** 51;

/**
 * Decimal places with which every value is a whole number again without loss, or undefined; the whole numbers go into
 * `whole`.
 */
function scaleValues(values: Float64Array, count: number, whole: Float64Array): number | undefined {
  search: for (let places = 0; places <= MOST_PLACES; places++) {
    const scale = 10 ** places;
    for (let index = 0; index < count; index++) {
      const value = values[index] as number;
      const scaled = Math.round(value * scale);
      if (scaled / scale !== value) {
        if (!Number.isFinite(value)) return undefined;
        continue search;
      }
      if (Math.abs(scaled) >= MOST_WHOLE || Object.is(value, -0)) return undefined;
      whole[index] = scaled;
    }
    return places;
  }
  return undefined;
}

/** Greatest common divisor of whole numbers from 0 to 2^53 − 1; 1 when all are zero. */
export function commonDivisor(numbers: Float64Array, count: number): number {
  let divisor = 0;
  for (let index = 0; index < count && divisor !== 1; index++) {
    let rest = numbers[index] as number;
    // Neighbours are often the same.
    if (rest === divisor) continue;
    while (rest !== 0) {
      const next = divisor % rest;
      divisor = rest;
      rest = next;
    }
  }
  return divisor || 1;
}

export const zigzag = (value: number): number => (value >= 0 ? value * 2 : value * -2 - 1);
export const unzigzag = (value: number): number =>
  // Whole numbers of the processor where it fits, which it nearly always does.
  value < 2_147_483_648 ? (value >>> 1) ^ -(value & 1) : value % 2 === 0 ? value / 2 : -(value + 1) / 2;

/** Packs the first `count` (1 or more) values. */
export function writeColumn(bits: BitWriter, values: Float64Array, count: number): void {
  const whole = scratch(0, count);
  const places = scaleValues(values, count, whole);
  if (places === undefined) {
    bits.write(XOR, 2);
    writeXor(bits, values, count);
    return;
  }
  let lowest = whole[0] as number;
  for (let index = 1; index < count; index++) if ((whole[index] as number) < lowest) lowest = whole[index] as number;
  // Distances from the lowest; their common divisor divides every distance between two values too.
  const rest = count - 1;
  const fromLowest = scratch(1, count);
  for (let index = 0; index < count; index++) fromLowest[index] = (whole[index] as number) - lowest;
  const divisor = commonDivisor(fromLowest, count);
  const fromBefore = scratch(2, count);
  for (let index = 0; index < rest; index++)
    fromBefore[index] = zigzag(((whole[index + 1] as number) - (whole[index] as number)) / divisor);
  if (divisor !== 1)
    for (let index = 0; index < count; index++) fromLowest[index] = (fromLowest[index] as number) / divisor;
  const costBefore = riceCost(fromBefore, rest);
  const costLowest = riceCost(fromLowest, count);
  const before = costBefore.bits <= costLowest.bits;
  bits.write(before ? FROM_BEFORE : FROM_LOWEST, 2);
  bits.write(places, 3);
  bits.writeSized(zigzag(before ? (whole[0] as number) : lowest));
  bits.writeSized(divisor);
  if (before) bits.writeRice(fromBefore, rest, costBefore.parameter);
  else bits.writeRice(fromLowest, count, costLowest.parameter);
}

/**
 * Unpacks `count` values. Throws a RangeError when the bytes end too early.
 * @param into room for them
 */
export function readColumn(bits: BitReader, count: number, into: Float64Array = new Float64Array(count)): Float64Array {
  const mode = bits.read(2);
  if (mode === XOR) return readXor(bits, count, into);
  const scale = 10 ** bits.read(3);
  const first = unzigzag(bits.readSized());
  const divisor = bits.readSized();
  if (mode === FROM_LOWEST) {
    // The distances become the values where they stand.
    const values = bits.readRice(count, 0, into);
    for (let index = 0; index < count; index++) values[index] = (first + (values[index] as number) * divisor) / scale;
    return values;
  }
  const values = bits.readRice(count - 1, 1, into);
  let whole = first;
  values[0] = whole / scale;
  for (let index = 1; index < count; index++) {
    whole += unzigzag(values[index] as number) * divisor;
    values[index] = whole / scale;
  }
  return values;
}

function writeXor(bits: BitWriter, values: Float64Array, count: number): void {
  let lastHigh = 0;
  let lastLow = 0;
  let keptLeading = 255;
  let keptTrailing = 0;
  for (let index = 0; index < count; index++) {
    float[0] = values[index] as number;
    const high = words[HIGH] as number;
    const low = words[LOW] as number;
    if (index === 0) {
      bits.write(high, 32);
      bits.write(low, 32);
    } else {
      const highXor = high ^ lastHigh;
      const lowXor = low ^ lastLow;
      if (highXor === 0 && lowXor === 0) bits.write(0, 1);
      else {
        const leading = Math.min(31, highXor !== 0 ? Math.clz32(highXor) : 32 + Math.clz32(lowXor));
        const trailing = lowXor !== 0 ? 31 - Math.clz32(lowXor & -lowXor) : 63 - Math.clz32(highXor & -highXor);
        if (keptLeading !== 255 && leading >= keptLeading && trailing >= keptTrailing) bits.write(0b10, 2);
        else {
          keptLeading = leading;
          keptTrailing = trailing;
          bits.write(0b11, 2);
          bits.write(leading, 5);
          bits.write(63 - leading - trailing, 6);
        }
        if (keptTrailing >= 32) bits.write(highXor >>> (keptTrailing - 32), 64 - keptLeading - keptTrailing);
        else {
          bits.write(highXor, 32 - keptLeading);
          bits.write(lowXor >>> keptTrailing, 32 - keptTrailing);
        }
      }
    }
    lastHigh = high;
    lastLow = low;
  }
}

function readXor(bits: BitReader, count: number, values: Float64Array): Float64Array {
  let high = 0;
  let low = 0;
  let leading = 0;
  let trailing = 0;
  for (let index = 0; index < count; index++) {
    if (index === 0) {
      high = bits.read(32);
      low = bits.read(32);
    } else if (bits.read(1) === 1) {
      if (bits.read(1) === 1) {
        leading = bits.read(5);
        trailing = 63 - leading - bits.read(6);
      }
      if (trailing >= 32) high ^= bits.read(64 - leading - trailing) << (trailing - 32);
      else {
        high ^= bits.read(32 - leading);
        low ^= bits.read(32 - trailing) << trailing;
      }
    }
    words[HIGH] = high >>> 0;
    words[LOW] = low >>> 0;
    values[index] = float[0] as number;
  }
  return values;
}
