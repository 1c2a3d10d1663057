import type { Modifiers } from "./effects";
import type { Operation, Station, Way } from "./layout";
import { carries } from "./network";
import { attemptsOf, untilTimeout } from "./queueing";
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

/**
 * How one attempt at an operation over a way goes: what it takes in seconds, how often nobody knows its end, and how often
 * that is because it is late. A quick operation is in time where a slow one of the same process is not.
 */
export function attemptAt(
  { index, target, pool }: Way,
  operation: Operation,
  state: State,
): { seconds: number; lost: number; late: number } {
  const { way, station } = state;
  if (isUnmet(way.reason[index] as number)) return { seconds: way.seconds[index] as number, lost: 1, late: 0 };
  const timeout = pool.spec.timeoutMs / 1000;
  const cross = way.crossSeconds[index] as number;
  const backlog = station.backlogSeconds[target.index] as number;
  const rest = (state.operation.responseSeconds[operation.index] as number) - backlog;
  const until = untilTimeout(backlog + cross, Math.max(1e-5, rest), timeout);
  return {
    seconds: Math.min(timeout, until.seconds * (way.letIn[index] as number) + (way.poolSeconds[index] as number)),
    lost: 1 - (1 - (way.otherFailing[index] as number)) * (1 - until.late),
    late: until.late * (way.letIn[index] as number),
  };
}

/** How a call of an operation over a way ends, with its retries. */
export function tried(
  way: Way,
  target: Operation,
  state: State,
): { seconds: number; attempts: number; failed: number } {
  const { seconds, lost } = attemptAt(way, target, state);
  const refused = lost >= 1 ? 0 : (state.operation.failing[target.index] as number);
  return { seconds, ...attemptsOf(1 - (1 - lost) * (1 - refused), way.pool.spec.retries) };
}

/** Whether somebody outside comes to it: it runs, and its site's network leads there. */
export const isOpen = (one: Operation, state: State): boolean =>
  state.station.running[one.station.index] === 1 && carries(state, one.station.machine.entrance);

/** Workers that a process has at this instant. */
export const workersOf = (one: Station, mods: Modifiers): number =>
  Math.max(0, Math.min(one.spec.workers, mods.workers[one.index] as number));
