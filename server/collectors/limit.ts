/** Runs `work` over items with at most `atOnce` under way; stops taking new ones when the signal is aborted. */
export async function eachLimited<T>(items: Iterable<T>, atOnce: number, work: (item: T) => Promise<void>, signal?: AbortSignal): Promise<void> {
  const iterator = items[Symbol.iterator]();
  const lane = async () => {
    while (!signal?.aborted) {
      const next = iterator.next();
      if (next.done) return;
      await work(next.value);
    }
  };
  await Promise.all(Array.from({ length: atOnce }, lane));
}
