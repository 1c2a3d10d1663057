/** Chance that falls the same way for the same seed. */
export class Chance {
  private state: number;

  constructor(seed: number) {
    this.state = seed >>> 0;
  }

  /** A number from 0 (included) to 1 (excluded): mulberry32, as published by its author in the public domain. */
  next(): number {
    this.state = (this.state + 0x6d2b79f5) >>> 0;
    let mixed = this.state;
    mixed = Math.imul(mixed ^ (mixed >>> 15), mixed | 1);
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 2 ** 32;
  }

  is(probability: number): boolean {
    return this.next() < probability;
  }

  /** A whole number between both, both included. */
  whole(least: number, most: number): number {
    return least + Math.floor(this.next() * (most - least + 1));
  }

  /** A number between both, as often in one of its halves by their ratio as in the other. */
  size(least: number, most: number): number {
    return least * (most / least) ** this.next();
  }

  one<T>(list: readonly T[]): T {
    if (!list.length) throw new Error("There is nothing to choose from.");
    return list[Math.floor(this.next() * list.length)] as T;
  }

  /** The same things in another order. */
  mixed<T>(list: readonly T[]): T[] {
    return list
      .map((one) => [this.next(), one] as const)
      .sort(([a], [b]) => a - b)
      .map(([, one]) => one);
  }
}
