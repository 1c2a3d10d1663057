import type { Kept } from "#core/stats/objective";
import { operationFigures } from "./call-figures";
import type { Db } from "./database";
import { resourcesOfAll } from "./resources";
import { operationsOf } from "./spans";

/** OpenTelemetry span kinds of whoever answers. */
const ANSWERING: ReadonlySet<number> = new Set([2, 5]);

/** Reads how calls to some entry points kept to a limit; a call that is slow and fails counts once. */
export function keptReader(
  db: Db,
  entries: Iterable<number>,
  limitMs: number | undefined,
): (fromMs: number, toMs: number) => Kept {
  const ids = operationsOf(db, resourcesOfAll(db, entries).keys())
    .filter((one) => ANSWERING.has(one.kind))
    .map((one) => one.id);
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
