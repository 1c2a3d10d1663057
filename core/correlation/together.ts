/** How two figures move together: their correlation, and by how many steps the first is ahead of the second. */
export interface Together {
  /** Pearson's r, −1 to 1. */
  r: number;
  /** Negative where the first follows. */
  ahead: number;
}

/** Fewer pairs tell nothing. */
const LEAST_PAIRS = 20;

/**
 * The largest correlation of two figures over the shifts at which the first is ahead by `least` to `most` steps
 * (cross-correlation; Brockwell, Davis: Time Series: Theory and Methods, §11.2). Of shifts that do equally well, the one nearest to none.
 * @param first and
 * @param second one value for each step of the same window, in order of time; NaN where nothing is known
 * @returns undefined where too little is known, or one of them does not move
 */
export function movesTogether(
  first: Float64Array,
  second: Float64Array,
  least: number,
  most: number,
): Together | undefined {
  let best: Together | undefined;
  for (let ahead = least; ahead <= most; ahead++) {
    const r = correlation(first, second, ahead);
    if (r === undefined) continue;
    const gain = best === undefined ? Number.POSITIVE_INFINITY : r - best.r;
    if (gain > SAME || (best && gain > -SAME && Math.abs(ahead) < Math.abs(best.ahead))) best = { r, ahead };
  }
  return best;
}

const SAME = 1e-9;

/** Pearson's correlation of `first` with `second` as it is `ahead` steps later. */
function correlation(first: Float64Array, second: Float64Array, ahead: number): number | undefined {
  const from = Math.max(0, -ahead);
  const to = Math.min(first.length, second.length - ahead);
  let [count, meanX, meanY, xx, yy, xy] = [0, 0, 0, 0, 0, 0];
  for (let index = from; index < to; index++) {
    const x = first[index] as number;
    const y = second[index + ahead] as number;
    if (!Number.isFinite(x) || !Number.isFinite(y)) continue;
    // One pass that does not lose what differs little (Welford 1962).
    count++;
    const dx = x - meanX;
    const dy = y - meanY;
    meanX += dx / count;
    meanY += dy / count;
    xx += dx * (x - meanX);
    yy += dy * (y - meanY);
    xy += dx * (y - meanY);
  }
  if (count < LEAST_PAIRS || !(xx > MOVES * meanX ** 2 * count) || !(yy > MOVES * meanY ** 2 * count)) return undefined;
  return Math.max(-1, Math.min(1, xy / Math.sqrt(xx * yy)));
}

/** A figure whose spread is less than a millionth of its mean stands still: what is left is rounding. */
const MOVES = 1e-12;
