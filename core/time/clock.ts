/** The one clock handed in at the edges. Everything inside takes instants as arguments. */
export interface ClockSetting {
  /** Instant the clock showed when it was set, epoch milliseconds. */
  baseMs: number;
  /** Instant of the machine when it was set, epoch milliseconds. */
  machineMs: number;
  /** Clock milliseconds that pass in one machine millisecond; 0 stands still. */
  pace: number;
}

/** The instant a clock with this setting shows when the machine shows `machineMs`. */
export function readClock(setting: ClockSetting, machineMs: number): number {
  return Math.round(setting.baseMs + (machineMs - setting.machineMs) * setting.pace);
}

/** How long the machine takes for a span of clock time; a clock that stands still counts as real time. */
export function machineSpanMs(setting: ClockSetting, spanMs: number): number {
  return setting.pace > 0 ? spanMs / setting.pace : spanMs;
}
