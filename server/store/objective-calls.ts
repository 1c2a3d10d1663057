import { keptOfFigure, SLOT_MS, slotMeans, type FigureGoal } from "#core/stats/figure-objective";
import type { Kept } from "#core/stats/objective";
import { DAY_MS } from "#core/time/windows";
import { callCount, operationFigures } from "./call-figures";
import type { Db } from "./database";
import { resourcesOfAll } from "./resources";
import type { ServiceRow } from "./services";
import { readSamples, seriesOfService } from "./signals";
import { ANSWERING, operationsOf, type OperationRow } from "./spans";
import type { Entered } from "./ways-in";

/** Operations that are answered where a service is entered, and belong to it. */
export function answeredFor(db: Db, { components, takes }: Entered): OperationRow[] {
  const componentOf = resourcesOfAll(db, components);
  return operationsOf(db, componentOf.keys()).filter(
    (one) => ANSWERING.has(one.kind) && takes(componentOf.get(one.resource_id) as number, one.name),
  );
}

const answeringOf = (db: Db, entered: Entered): number[] => answeredFor(db, entered).map((one) => one.id);

/** Reads how the calls by which a service is entered kept to a limit; a call that is slow and fails counts once. */
export function keptReader(
  db: Db,
  entered: Entered,
  limitMs: number | undefined,
): (fromMs: number, toMs: number) => Kept {
  const ids = answeringOf(db, entered);
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

/** How often what a service promises was to be kept in a window, and how often it was not. */
export type KeptReader = (fromMs: number, toMs: number) => Kept;

/**
 * Reads how a service kept to its objective: calls to its entry points, or quarters of an hour of its business figure.
 * @param nowMs as it is at the time of asking
 */
export function objectiveReader(
  db: Db,
  service: Pick<ServiceRow, "id" | "details">,
  entered: Entered,
  nowMs: number,
): KeptReader {
  const { figurePercent, figureSide, serverLimitMs } = service.details;
  return figurePercent === undefined
    ? keptReader(db, entered, serverLimitMs)
    : figureReader(db, service.id, { share: figurePercent / 100, isMost: figureSide === "most" }, nowMs);
}

/** How often there was something to keep to over the objective's period, without reading how it went. */
export function countedBy(
  db: Db,
  service: Pick<ServiceRow, "id" | "details">,
  entered: Entered,
  { fromMs, toMs }: { fromMs: number; toMs: number },
): number {
  return service.details.figurePercent === undefined
    ? callCount(db, answeringOf(db, entered), fromMs, toMs)
    : objectiveReader(db, service, entered, toMs)(fromMs, toMs).calls;
}

/** Days are read as they are asked for, each once. */
function figureReader(db: Db, serviceId: number, goal: FigureGoal, nowMs: number): KeptReader {
  const series = seriesOfService(db, serviceId);
  const days = new Map<number, ReadonlyMap<number, number>>();
  const meanOf = (slot: number): number | undefined => {
    const day = Math.floor((slot * SLOT_MS) / DAY_MS);
    let means = days.get(day);
    if (!means && series) {
      const { times, values } = readSamples(db, series.id, day * DAY_MS, (day + 1) * DAY_MS - 1);
      days.set(day, (means = slotMeans(times, values)));
    }
    return means?.get(slot);
  };
  return (fromMs, toMs) => keptOfFigure(meanOf, goal, { fromMs, toMs, nowMs });
}
