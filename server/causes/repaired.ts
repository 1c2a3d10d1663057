import { natureOf, type HarmGraph } from "#core/correlation/harm";
import { MINUTE_MS } from "#core/time/windows";
import { neighbourhood } from "./neighbourhood";
import { subjectKey, type AlarmRow } from "../store/alarms";
import type { Db } from "../store/database";
import { provedRepairs } from "../store/runs";
import { lagsBehind, subjectOf } from "./told";

/** So likely must what was repaired have shown as an alarm. */
const EXPLAINS = 0.3;

/**
 * Alarms without those that a proved repair brought back, where something stands that what was repaired does not explain:
 * what is still wrong is to be named, not what is over. All of them where nothing else is left.
 */
export function withoutRepaired<Alarm extends AlarmRow>(
  db: Db,
  incidentId: number,
  alarms: readonly Alarm[],
  graph: () => HarmGraph,
  atMs: number,
): readonly Alarm[] {
  const repairs = provedRepairs(db, incidentId, atMs);
  if (repairs.length === 0) return alarms;
  const explains = (repair: { componentId: number }, alarm: Alarm) =>
    alarm.component_id === repair.componentId ||
    graph().chance(`component:${repair.componentId}`, subjectKey(subjectOf(alarm)), natureOf(alarm.metric)) >= EXPLAINS;
  const stillWrong = alarms.filter(
    (alarm) => alarm.cleared_at === null && !lagsBehind(alarm) && !repairs.some((repair) => explains(repair, alarm)),
  );
  if (stillWrong.length === 0) return alarms;
  return alarms.filter(
    (alarm) =>
      alarm.cleared_at === null ||
      !repairs.some(
        (repair) =>
          alarm.raised_at <= repair.provedAt && (alarm.cleared_at ?? 0) >= repair.startedAt && explains(repair, alarm),
      ),
  );
}

/** Alarms of what is proved to be well clear within so long: their windows still hold what was before. */
const CLEARS_MS = 10 * MINUTE_MS;

/** Where a repair of an incident was proved a moment ago. */
export interface Repaired {
  near: ReadonlySet<number>;
  provedAt: number;
}

export const latelyRepaired = (db: Db, incidentId: number, atMs: number): Repaired[] =>
  provedRepairs(db, incidentId, atMs)
    .filter((one) => atMs - one.provedAt < CLEARS_MS)
    .map(({ componentId, provedAt }) => ({ near: neighbourhood(db, componentId, atMs), provedAt }));

/** Whether a component is well again by such a repair: nothing near it was raised since. */
export const isBroughtBack = (
  repaired: readonly Repaired[],
  componentId: number | null,
  standing: readonly AlarmRow[],
): boolean =>
  componentId !== null &&
  repaired.some(
    ({ near, provedAt }) =>
      near.has(componentId) &&
      !standing.some((one) => one.component_id !== null && near.has(one.component_id) && one.raised_at > provedAt),
  );
