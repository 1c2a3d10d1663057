import type { Modifiers } from "./effects";
import type { Operation, Station, Way } from "./layout";
import { carries } from "./network";
import { attemptsOf } from "./queueing";
import type { State } from "./state";

/** Why a request failed. */
export const REASON = {
  none: 0,
  refused: 1,
  noAnswer: 2,
  timedOut: 3,
  tooMany: 4,
  certificate: 5,
  closed: 6,
  peer: 7,
  clock: 8,
  noRoom: 9,
  busy: 10,
  own: 11,
  lost: 12,
} as const;

/** Whether an attempt found nobody to talk to. */
export const isUnmet = (reason: number): boolean =>
  reason === REASON.refused || reason === REASON.noAnswer || reason === REASON.closed || reason === REASON.certificate;

/** How a call of an operation over a way ends, with its retries. */
export function tried(way: Way, target: Operation, state: State): { attempts: number; failed: number } {
  const lost = state.way.failing[way.index] as number;
  const refused = lost >= 1 ? 0 : (state.operation.failing[target.index] as number);
  return attemptsOf(1 - (1 - lost) * (1 - refused), way.pool.spec.retries);
}

/** Whether somebody outside comes to it: it runs, and its site's network leads there. */
export const isOpen = (one: Operation, state: State): boolean =>
  state.station.running[one.station.index] === 1 && carries(state, one.station.machine.entrance);

/** Workers that a process has at this instant. */
export const workersOf = (one: Station, mods: Modifiers): number =>
  Math.max(0, Math.min(one.spec.workers, mods.workers[one.index] as number));
