/** One component of a round of a chore. */
export interface RoundItem {
  id: number;
  state: RoundItemState;
}
export type RoundItemState =
  | "waiting"
  | "running"
  | "passed"
  | "failed"
  /** Its guardrails let it not pass in time. */
  | "held"
  /** The round ended before it came to it. */
  | "dropped";

export type RoundEnd = "done" | "stopped" | "out of time";

export interface RoundPlan {
  /** Items to be tried now, in this order, until `room` of them have begun. */
  next: readonly number[];
  room: number;
  /** The round is over, with what. */
  end: RoundEnd | null;
}

/**
 * What a round does next: so many at a time in the order in which they came due, until more than the share that may fail
 * has failed, its time is over or nothing is left. A round is over only when nothing of it runs any more.
 */
export function planRound(
  { atOnce, failedPercent }: { atOnce: number; failedPercent: number },
  items: readonly RoundItem[],
  isLate: boolean,
): RoundPlan {
  const of = (state: RoundItemState) => items.filter((one) => one.state === state);
  const running = of("running").length;
  const failed = of("failed").length;
  const isStopped = failed > (failedPercent / 100) * items.length;
  const waiting = of("waiting");
  if (isStopped || isLate || waiting.length === 0) {
    const end = isStopped ? "stopped" : waiting.length > 0 ? "out of time" : "done";
    return { next: [], room: 0, end: running > 0 ? null : end };
  }
  return { next: waiting.map((one) => one.id), room: Math.max(0, atOnce - running), end: null };
}

/** "12 done, 1 failed, 2 held back", in a fixed order; empty where there is nothing. */
export function roundWords(states: readonly RoundItemState[]): string {
  const said: readonly (readonly [RoundItemState, string])[] = [
    ["passed", "done"],
    ["running", "running"],
    ["waiting", "waiting"],
    ["failed", "failed"],
    ["held", "held back"],
    ["dropped", "not come to"],
  ];
  return said
    .flatMap(([state, word]) => {
      const count = states.filter((one) => one === state).length;
      return count ? [`${count} ${word}`] : [];
    })
    .join(", ");
}
