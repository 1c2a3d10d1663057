import type { Samples } from "./chunk";

/** What is known of each chunk without looking at its samples; together 64 bytes, a line of a processor's cache. */
const MARKS = 8;
const LAST_AT = 0;
const LAST_VALUE = 1;
const FIRST_AT = 2;
const COUNT = 3;
const HEAD = 4;
const TAIL = 5;

/** Samples in a block; an instant and a value each. */
const BLOCK = 16;
/** Blocks in a slab: 2 MiB. */
const SLAB_BITS = 13;
const SLAB = 1 << SLAB_BITS;
const NONE = -1;

/**
 * The samples of many chunks that still grow, in a few large pieces of memory: an estate has tens of thousands of them
 * and each gets a sample now and then, so what counts is how many places of memory one sample touches. A chunk is a
 * chain of blocks; it takes the room it needs and gives it back when it is emptied.
 */
export class OpenChunks {
  private marks = new Float64Array(64 * MARKS);
  private readonly slabs: Float64Array[] = [];
  /** The block after each block, in a chain or among those that are free. */
  private next = new Int32Array(0);
  private freeBlock = NONE;
  private readonly freeChunks: number[] = [];
  private made = 0;

  /** A new chunk without samples; what it is asked for by. */
  open(): number {
    const chunk = this.freeChunks.pop() ?? this.made++;
    if ((chunk + 1) * MARKS > this.marks.length) {
      const wider = new Float64Array(this.marks.length * 2);
      wider.set(this.marks);
      this.marks = wider;
    }
    this.marks.fill(0, chunk * MARKS, (chunk + 1) * MARKS);
    this.marks[chunk * MARKS + LAST_VALUE] = Number.NaN;
    return chunk;
  }

  /** Gives a chunk back; it must not be asked for again. */
  close(chunk: number): void {
    this.empty(chunk);
    this.freeChunks.push(chunk);
  }

  count(chunk: number): number {
    return this.marks[chunk * MARKS + COUNT] as number;
  }

  /** Instant of the first sample in it; only where it has one. */
  firstAt(chunk: number): number {
    return this.marks[chunk * MARKS + FIRST_AT] as number;
  }

  /** Instant of the newest sample that was ever in it, 0 before the first. */
  lastAt(chunk: number): number {
    return this.marks[chunk * MARKS + LAST_AT] as number;
  }

  /** The newest sample's value, NaN before the first. */
  lastValue(chunk: number): number {
    return this.marks[chunk * MARKS + LAST_VALUE] as number;
  }

  /** Sets what the newest sample was, where it is kept elsewhere. */
  setLast(chunk: number, atMs: number, value: number): void {
    this.marks[chunk * MARKS + LAST_AT] = atMs;
    this.marks[chunk * MARKS + LAST_VALUE] = value;
  }

  /** Puts a sample behind all others; its instant must be later than theirs. */
  append(chunk: number, atMs: number, value: number): void {
    const { marks } = this;
    const mark = chunk * MARKS;
    const count = marks[mark + COUNT] as number;
    const within = count % BLOCK;
    let block = marks[mark + TAIL] as number;
    if (within === 0) {
      const added = this.takeBlock();
      if (count === 0) {
        marks[mark + HEAD] = added;
        marks[mark + FIRST_AT] = atMs;
      } else this.next[block] = added;
      marks[mark + TAIL] = block = added;
    }
    const slab = this.slabs[block >>> SLAB_BITS] as Float64Array;
    const place = ((block & (SLAB - 1)) * BLOCK + within) * 2;
    slab[place] = atMs;
    slab[place + 1] = value;
    marks[mark + COUNT] = count + 1;
    marks[mark + LAST_AT] = atMs;
    marks[mark + LAST_VALUE] = value;
  }

  /** Copies all samples into columns with room for them; how many there were. */
  copyTo(chunk: number, times: Float64Array, values: Float64Array): number {
    const count = this.count(chunk);
    let block = this.marks[chunk * MARKS + HEAD] as number;
    for (let index = 0; index < count; block = this.next[block] as number) {
      const slab = this.slabs[block >>> SLAB_BITS] as Float64Array;
      let place = (block & (SLAB - 1)) * BLOCK * 2;
      const end = Math.min(count, index + BLOCK);
      for (; index < end; index++, place += 2) {
        times[index] = slab[place] as number;
        values[index] = slab[place + 1] as number;
      }
    }
    return count;
  }

  /** All samples, copied. */
  samples(chunk: number): Samples {
    const count = this.count(chunk);
    const times = new Float64Array(count);
    const values = new Float64Array(count);
    this.copyTo(chunk, times, values);
    return { times, values };
  }

  /** Puts others in the place of its samples; they must rise. */
  replace(chunk: number, { times, values }: Samples): void {
    this.empty(chunk);
    for (let index = 0; index < times.length; index++)
      this.append(chunk, times[index] as number, values[index] as number);
  }

  /** Drops the samples; the newest is still known. */
  empty(chunk: number): void {
    const mark = chunk * MARKS;
    if ((this.marks[mark + COUNT] as number) > 0) {
      this.next[this.marks[mark + TAIL] as number] = this.freeBlock;
      this.freeBlock = this.marks[mark + HEAD] as number;
    }
    this.marks[mark + COUNT] = 0;
  }

  /** Memory taken for samples. */
  get bytes(): number {
    return this.slabs.length * SLAB * BLOCK * 16;
  }

  private takeBlock(): number {
    if (this.freeBlock === NONE) this.addSlab();
    const block = this.freeBlock;
    this.freeBlock = this.next[block] as number;
    return block;
  }

  private addSlab(): void {
    const first = this.slabs.length * SLAB;
    this.slabs.push(new Float64Array(SLAB * BLOCK * 2));
    const next = new Int32Array(first + SLAB);
    next.set(this.next);
    for (let block = first; block < first + SLAB; block++) next[block] = block + 1;
    next[first + SLAB - 1] = this.freeBlock;
    this.next = next;
    this.freeBlock = first;
  }
}
