/** How fast a clock goes that must not outrun what it drives. */
export interface Ease {
  /** Clock milliseconds in one of the machine's. */
  pace: number;
  /** Since when nothing was held up, machine milliseconds. */
  calmSinceMs: number;
}

/** A hold-up from which on the clock goes slower. */
const HELD_UP_MS = 600;
/** A hold-up below which the machine counts as calm. */
const CALM_MS = 300;
/** How long the machine must be calm before the clock goes faster again. */
const CALM_FOR_MS = 3000;
/** By how much a clock is slowed at most, as a share of the pace that was asked for. */
const LEAST_SHARE = 1 / 3;

/**
 * The pace of a clock after the longest hold-up of the last moment: halved where the machine cannot keep up, half as much
 * again once it was calm for a while, never beyond what was asked for and never below real time.
 */
export function eased(state: Ease, wanted: number, heldUpMs: number, machineMs: number): Ease {
  if (wanted <= 1) return { pace: wanted, calmSinceMs: machineMs };
  if (heldUpMs >= HELD_UP_MS)
    return { pace: Math.max(1, wanted * LEAST_SHARE, Math.min(state.pace, wanted) / 2), calmSinceMs: machineMs };
  if (heldUpMs >= CALM_MS) return { pace: Math.min(state.pace, wanted), calmSinceMs: machineMs };
  if (state.pace < wanted && machineMs - state.calmSinceMs >= CALM_FOR_MS)
    return { pace: Math.min(wanted, state.pace * 1.5), calmSinceMs: machineMs };
  return { pace: Math.min(state.pace, wanted), calmSinceMs: state.calmSinceMs };
}
