import { HOUR_MS, MINUTE_MS } from "../time/windows";

/** Offsets of time zones are multiples of a quarter of an hour, from -12 to +14 hours. */
const STEP_MS = 15 * MINUTE_MS;
const [WEST_MS, EAST_MS] = [-12 * HOUR_MS, 14 * HOUR_MS];
/** Seconds are cut, and a line is on its way for a moment. */
const CLOSE_MS = 5_000;
/** A clock that is wrong by less is believed. */
const BELIEVED_MS = HOUR_MS / 2;

/**
 * In which zone a sender writes times that do not say so (RFC 3164): found from a line that arrives as it is written,
 * and kept until another such line says otherwise.
 */
export class SenderZone {
  private offsetMs: number | undefined;

  /**
   * When a line was written.
   * @param statedMs its time, taken as UTC
   * @param heardMs when it arrived
   * @returns undefined where its time cannot be believed
   */
  writtenAt(statedMs: number, heardMs: number): number | undefined {
    const ahead = statedMs - heardMs;
    const nearest = Math.round(ahead / STEP_MS) * STEP_MS;
    const isFresh = Math.abs(ahead - nearest) <= CLOSE_MS && nearest >= WEST_MS && nearest <= EAST_MS;
    if (isFresh && (this.offsetMs === undefined || Math.abs(ahead - this.offsetMs) > BELIEVED_MS))
      this.offsetMs = nearest;
    const written = statedMs - (this.offsetMs ?? 0);
    return Math.abs(written - heardMs) < BELIEVED_MS ? written : undefined;
  }
}
