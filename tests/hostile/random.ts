/** Numbers that look random and are the same for the same seed (mulberry32). */
export class Random {
  constructor(private state: number) {}

  next(): number {
    this.state = (this.state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(this.state ^ (this.state >>> 15), 1 | this.state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  }

  /** A whole number from 0 up to one less than `end`. */
  below(end: number): number {
    return Math.floor(this.next() * end);
  }

  pick<T>(list: readonly T[]): T {
    return list[this.below(list.length)] as T;
  }

  chance(share: number): boolean {
    return this.next() < share;
  }
}
