/**
 * Writing and reading numbers bit by bit, most significant bit first, and the codes built on that: Rice's code for
 * small whole numbers (Rice 1979; Golomb 1966 with a power of two) and numbers that bring their own length.
 */

const TWO31 = 2_147_483_648;
const TWO32 = 4_294_967_296;
/** A Rice quotient this large is an escape: the number follows with its own length. Read in one look, so at most 24. */
const ESCAPE = 20;
/** Parameter that means: every number is zero and takes no bits. */
const ALL_ZERO = 31;
const MOST_PARAMETER = 30;

export class BitWriter {
  private bytes = new Uint8Array(128);
  private place = 0;
  private pending = 0;
  private free = 32;

  /** Begins anew in the same room. */
  clear(): this {
    this.place = 0;
    this.pending = 0;
    this.free = 32;
    return this;
  }

  /** Writes the lowest `count` bits (1 to 32) of a whole number. */
  write(value: number, count: number): void {
    if (count < this.free) {
      this.pending |= (count === 32 ? value : value & ((1 << count) - 1)) << (this.free - count);
      this.free -= count;
      return;
    }
    const rest = count - this.free;
    const own = count === 32 ? value : value & ((1 << count) - 1);
    this.pending |= rest === 0 ? own : own >>> rest;
    this.flushWord();
    if (rest > 0) {
      this.pending = own << (32 - rest);
      this.free = 32 - rest;
    }
  }

  private flushWord(): void {
    if (this.place + 8 > this.bytes.length) {
      const wider = new Uint8Array(this.bytes.length * 2);
      wider.set(this.bytes);
      this.bytes = wider;
    }
    const word = this.pending;
    this.bytes[this.place] = word >>> 24;
    this.bytes[this.place + 1] = word >>> 16;
    this.bytes[this.place + 2] = word >>> 8;
    this.bytes[this.place + 3] = word;
    this.place += 4;
    this.pending = 0;
    this.free = 32;
  }

  /** Writes a whole number from 0 to 2^53 − 1 with its length before it (6 bits). */
  writeSized(value: number): void {
    const high = Math.floor(value / TWO32);
    const low = value >>> 0;
    const length = high > 0 ? 64 - Math.clz32(high) : 32 - Math.clz32(low);
    this.write(length, 6);
    if (length > 32) {
      this.write(high, length - 32);
      this.write(low, 32);
    } else if (length > 0) this.write(low, length);
  }

  /**
   * Writes `count` whole numbers from 0 to 2^53 − 1 by Rice's code.
   * @param parameter the one that takes the fewest bits, where `riceCost` has found it already
   */
  writeRice(numbers: Float64Array, count: number, parameter = riceCost(numbers, count).parameter): void {
    this.write(parameter, 5);
    if (parameter === ALL_ZERO) return;
    const divisor = 2 ** parameter;
    for (let index = 0; index < count; index++) {
      const number = numbers[index] as number;
      if (number < TWO31) {
        const whole = number | 0;
        const ones = whole >>> parameter;
        const length = ones + 1 + parameter;
        if (ones < ESCAPE && length <= 30) {
          // The quotient as ones, a zero, the rest: in one piece.
          this.write((((1 << ones) - 1) << (parameter + 1)) | (whole & ((1 << parameter) - 1)), length);
          continue;
        }
      }
      const quotient = Math.floor(number / divisor);
      if (quotient >= ESCAPE) {
        this.write((1 << ESCAPE) - 1, ESCAPE);
        this.writeSized(number);
        continue;
      }
      // The quotient as ones, then a zero.
      this.write(((1 << quotient) - 1) << 1, quotient + 1);
      if (parameter > 0) this.write(number - quotient * divisor, parameter);
    }
  }

  /** A copy of what was written, filled up with zeros to a whole byte. */
  toBytes(): Uint8Array {
    const used = Math.ceil((32 - this.free) / 8);
    const result = new Uint8Array(this.place + used);
    result.set(this.bytes.subarray(0, this.place));
    for (let index = 0; index < used; index++) result[this.place + index] = this.pending >>> (24 - index * 8);
    return result;
  }
}

const rooms: Float64Array[] = [];

/**
 * Room for numbers while something is packed, so that packing makes no arrays. What it holds is anything; it is free
 * again once the one that took it has returned.
 * @param which told apart by number: the same number is the same room
 */
export function scratch(which: number, length: number): Float64Array {
  const room = rooms[which];
  if (room && room.length >= length) return room;
  return (rooms[which] = new Float64Array(Math.max(512, length)));
}

const countOfLength = new Float64Array(54);
const sumOfLength = new Float64Array(54);

/**
 * The Rice parameter that takes the fewest bits for these numbers, and about how many. Numbers are first sorted by
 * their length in bits, so that each parameter is judged by a few lengths and not by every number.
 */
export function riceCost(numbers: Float64Array, count: number): { parameter: number; bits: number } {
  countOfLength.fill(0);
  sumOfLength.fill(0);
  let longest = 0;
  for (let index = 0; index < count; index++) {
    const number = numbers[index] as number;
    const length = number < TWO32 ? 32 - Math.clz32(number) : 64 - Math.clz32(number / TWO32);
    countOfLength[length] = (countOfLength[length] as number) + 1;
    sumOfLength[length] = (sumOfLength[length] as number) + number;
    if (length > longest) longest = length;
  }
  if (longest === 0) return { parameter: ALL_ZERO, bits: 5 };
  let best = { parameter: 0, bits: Number.POSITIVE_INFINITY };
  for (let parameter = 0, divisor = 1; parameter <= Math.min(MOST_PARAMETER, longest); parameter++, divisor *= 2) {
    let bits = 5;
    for (let length = 0; length <= longest; length++) {
      const many = countOfLength[length] as number;
      if (many === 0) continue;
      // On average half a unit is lost when a quotient is cut to a whole number.
      const quotients =
        length <= parameter
          ? 0
          : Math.max(0, (sumOfLength[length] as number) / divisor - (parameter === 0 ? 0 : many / 2));
      bits += quotients / many >= ESCAPE ? many * (ESCAPE + 6 + length) : many * (1 + parameter) + quotients;
    }
    if (bits < best.bits) best = { parameter, bits };
  }
  return best;
}

export class BitReader {
  private place = 0;
  private readonly end: number;
  private readonly view: DataView;
  constructor(private readonly bytes: Uint8Array) {
    this.end = bytes.length * 8;
    this.view = new DataView(bytes.buffer, bytes.byteOffset, bytes.length);
  }

  /** The next 32 bits with the first `place & 7` of them shifted out; past the end they are zeros. */
  private window(): number {
    const byte = this.place >>> 3;
    const { bytes } = this;
    return (
      ((((bytes[byte] as number) << 24) |
        ((bytes[byte + 1] as number) << 16) |
        ((bytes[byte + 2] as number) << 8) |
        (bytes[byte + 3] as number)) <<
        (this.place & 7)) >>>
      0
    );
  }

  private take(count: number): void {
    this.place += count;
    if (this.place > this.end) throw new RangeError(TOO_SHORT);
  }

  /** Reads 1 to 32 bits as a whole number. Throws a RangeError past the end. */
  read(count: number): number {
    if (count > 24) {
      const high = this.read(count - 16);
      return (high * 65_536 + this.read(16)) % TWO32;
    }
    const value = this.window() >>> (32 - count);
    this.take(count);
    return value;
  }

  readSized(): number {
    const length = this.read(6);
    if (length > 32) return this.read(length - 32) * TWO32 + this.read(32);
    return length > 0 ? this.read(length) : 0;
  }

  /**
   * Reads what `writeRice` wrote.
   * @param lead places before the numbers that are left as they are, for what is made of them in the same array
   * @param numbers room for both: making an array takes as long as reading a few hundred numbers
   */
  readRice(count: number, lead = 0, numbers: Float64Array = new Float64Array(lead + count)): Float64Array {
    const end = lead + count;
    const parameter = this.read(5);
    if (parameter === ALL_ZERO) return numbers.fill(0, lead, end);
    const { view } = this;
    const lastWhole = view.byteLength - 4;
    // A quotient that is no escape, and the rest, in one look.
    const longest = Math.min(WHOLE_LOOK, ESCAPE + parameter);
    const beside = 31 - parameter;
    let place = this.place;
    for (let index = lead; index < end; index++) {
      const byte = place >>> 3;
      if (byte <= lastWhole) {
        // Nearly every number comes this way, with whole numbers of the processor throughout; it ends within the bytes.
        const window = view.getInt32(byte) << (place & 7);
        const ones = Math.clz32(~window);
        const length = ones + 1 + parameter;
        if (length <= longest) {
          numbers[index] = (ones << parameter) + (((window << (ones + 1)) >>> 1) >>> beside);
          place += length;
          continue;
        }
      }
      this.place = place;
      numbers[index] = this.readOne(parameter);
      place = this.place;
    }
    this.place = place;
    return numbers;
  }

  /** One number of Rice's code, however long and wherever it ends. */
  private readOne(parameter: number): number {
    const ones = Math.clz32(~this.window());
    if (ones >= ESCAPE) {
      this.take(ESCAPE);
      return this.readSized();
    }
    this.take(ones + 1);
    return ones * 2 ** parameter + (parameter > 0 ? this.read(parameter) : 0);
  }
}

/** Bits that a look at four bytes holds wherever it begins within the first. */
const WHOLE_LOOK = 25;
const TOO_SHORT = "The packed bytes end in the middle of a number.";
