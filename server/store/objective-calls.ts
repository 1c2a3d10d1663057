import type { Kept } from "#core/stats/objective";
import { callCount, operationFigures } from "./call-figures";
import type { Db } from "./database";
import { resourcesOfAll } from "./resources";
import { operationsOf } from "./spans";

/** OpenTelemetry span kinds of whoever answers. */
const ANSWERING: ReadonlySet<number> = new Set([2, 5]);

const answeringOf = (db: Db, entries: Iterable<number>): number[] =>
  operationsOf(db, resourcesOfAll(db, entries).keys())
    .filter((one) => ANSWERING.has(one.kind))
    .map((one) => one.id);

/** How many calls were answered at some entry points. */
export const callsAnswered = (db: Db, entries: Iterable<number>, fromMs: number, toMs: number): number =>
  callCount(db, answeringOf(db, entries), fromMs, toMs);

/** Reads how calls to some entry points kept to a limit; a call that is slow and fails counts once. */
export function keptReader(
  db: Db,
  entries: Iterable<number>,
  limitMs: number | undefined,
): (fromMs: number, toMs: number) => Kept {
  const ids = answeringOf(db, entries);
  return (fromMs, toMs) => {
    let [calls, bad] = [0, 0];
    for (const figures of operationFigures(db, ids, fromMs, toMs).values()) {
      const slow = limitMs ? figures.sketch.count - figures.sketch.atMost(limitMs * 1000) : 0;
      calls += figures.calls;
      bad += Math.min(figures.calls, figures.failed + Math.round(slow));
    }
    return { calls, bad };
  };
}
