/** What two traces are compared by: where a step stands, and the time spent in it and not below it. */
export interface ComparedStep {
  /** Names from the top down, a line each. */
  path: string;
  depth: number;
  ownMs: number;
}

export interface TraceDifferenceRow<Step extends ComparedStep> {
  path: string;
  depth: number;
  one: Step | undefined;
  other: Step | undefined;
  /** How much longer the first spent in it itself, milliseconds. */
  differenceMs: number;
}

/**
 * Brings the steps of two traces together by their places. Steps that only one has stand behind those before them
 * there.
 */
export function compareTraces<Step extends ComparedStep>(
  one: readonly Step[],
  other: readonly Step[],
): TraceDifferenceRow<Step>[] {
  const inOther = new Map(other.map((step) => [step.path, step]));
  const inOne = new Set(one.map((step) => step.path));
  const rows = one.map((step): TraceDifferenceRow<Step> => {
    const match = inOther.get(step.path);
    return {
      path: step.path,
      depth: step.depth,
      one: step,
      other: match,
      differenceMs: step.ownMs - (match?.ownMs ?? 0),
    };
  });
  other.forEach((step, index) => {
    if (inOne.has(step.path)) return;
    const before = other[index - 1]?.path;
    const place = before === undefined ? 0 : rows.findIndex((row) => row.path === before) + 1;
    rows.splice(place, 0, {
      path: step.path,
      depth: step.depth,
      one: undefined,
      other: step,
      differenceMs: -step.ownMs,
    });
  });
  return rows;
}
