import { setTimeout as sleep } from "node:timers/promises";

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

/**
 * Hands items on no faster than so many a second, evenly; ends with the signal.
 * @param perSecond 0 for as fast as they are taken
 */
export async function* paced<T>(
  items: AsyncIterable<T>,
  perSecond: number,
  signal: AbortSignal,
): AsyncGenerator<T, void, undefined> {
  let nextMs = performance.now();
  for await (const item of items) {
    const waitMs = perSecond > 0 ? nextMs - performance.now() : 0;
    if (waitMs > 0) await sleep(waitMs, undefined, { signal }).catch(() => undefined);
    if (signal.aborted) return;
    nextMs = Math.max(nextMs, performance.now() - 1000 / perSecond) + 1000 / perSecond;
    yield item;
  }
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
