import { HOUR_MS, MINUTE_MS } from "#core/time/windows";

/** A session ends after this long without a request, and after a long shift in any case. */
export const IDLE_MS = 45 * MINUTE_MS;
export const LONGEST_MS = 13 * HOUR_MS;
