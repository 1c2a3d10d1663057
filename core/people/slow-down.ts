/** Failed tries of one account or address. */
export interface Tries {
  failed: number;
  lastMs: number;
}

const MINUTE_MS = 60_000;

/** How tries are slowed down: some are free, then each wait is twice the one before, up to a longest one. */
export interface SlowDown {
  free: number;
  firstMs: number;
  longestMs: number;
  /** After this long without a failure all is forgotten. */
  forgetMs: number;
}

/** Of one account from one address; of one account from anywhere; of one address for any account. */
export const SLOW_DOWN = {
  pair: { free: 4, firstMs: 2_000, longestMs: 15 * MINUTE_MS, forgetMs: 60 * MINUTE_MS },
  account: { free: 20, firstMs: 5_000, longestMs: 2 * MINUTE_MS, forgetMs: 60 * MINUTE_MS },
  address: { free: 30, firstMs: 2_000, longestMs: 15 * MINUTE_MS, forgetMs: 60 * MINUTE_MS },
} as const satisfies Record<string, SlowDown>;

/** Milliseconds until the next try is taken; 0 for now. */
export function waitMs(tries: Tries | undefined, how: SlowDown, nowMs: number): number {
  if (!tries || nowMs - tries.lastMs > how.forgetMs || tries.failed <= how.free) return 0;
  const pause = Math.min(how.longestMs, how.firstMs * 2 ** Math.min(20, tries.failed - how.free - 1));
  return Math.max(0, tries.lastMs + pause - nowMs);
}

export function afterFailure(tries: Tries | undefined, how: SlowDown, nowMs: number): Tries {
  const forgotten = !tries || nowMs - tries.lastMs > how.forgetMs;
  return { failed: (forgotten ? 0 : tries.failed) + 1, lastMs: nowMs };
}
