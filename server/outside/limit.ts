/** Runs `work` over items with at most `atOnce` under way; stops taking new ones when the signal is aborted. */
export async function eachLimited<T>(
  items: Iterable<T> | AsyncIterable<T>,
  atOnce: number,
  work: (item: T) => Promise<void>,
  signal?: AbortSignal,
): Promise<void> {
  const iterator = Symbol.asyncIterator in items ? items[Symbol.asyncIterator]() : items[Symbol.iterator]();
  const lane = async () => {
    while (!signal?.aborted) {
      // What is at hand is begun with at once.
      const asked = iterator.next();
      const next = asked instanceof Promise ? await asked : asked;
      if (next.done) return;
      await work(next.value);
    }
  };
  await Promise.all(Array.from({ length: atOnce }, lane));
}

/** Lets at most so many pieces of work through at once; the others wait in order. */
export class Limiter {
  private readonly waiting: (() => void)[] = [];
  constructor(private free: number) {}

  async through<T>(work: () => Promise<T>): Promise<T> {
    if (this.free > 0) this.free--;
    else await new Promise<void>((resolve) => this.waiting.push(resolve));
    try {
      return await work();
    } finally {
      const next = this.waiting.shift();
      if (next) next();
      else this.free++;
    }
  }
}
