import { metricInfo } from "#core/catalogue/metrics";
import { changesOf } from "../../store/changes";
import { componentById, type ComponentRow } from "../../store/estate";
import { actsForIncident } from "../policies";
import { repairOffers } from "./offers";
import { runsOfIncident } from "../../store/runs";
import { neighbourhood } from "../../causes/neighbourhood";
import { CHANGE_MS } from "../../causes/past-facts";
import { runsThen } from "./then";
import type { Scene } from "./scene";

/** What may be done: runbooks that fit, what policies say, and what was run. */
export function repairOf(scene: Scene, thenMs: number | null, suspectRow: ComponentRow | undefined) {
  const { db, incident, alarms, suspect, hostId } = scene;
  const hostRow = hostId === undefined ? undefined : componentById(db, hostId);
  const silent = hostRow !== undefined && isSilent(scene, hostRow);
  const kept = runsOfIncident(db, incident.id);
  const runs = thenMs === null ? kept : runsThen(kept, thenMs);
  return {
    host: hostRow ? { componentId: hostRow.id, name: hostRow.name } : null,
    runbooks: repairOffers(db, {
      targets: [suspectRow, hostRow],
      line: incident.causes[0]?.line ?? null,
      metric: suspect?.metric ?? "",
      alarms: [...(suspect ? [suspect] : []), ...alarms.filter((alarm) => alarm.cleared_at === null)],
      changes: changesOfCause(scene),
      leading: scene.leading?.name,
      isSilent: silent,
      runs,
    }),
    acts: actsOnCauses(scene),
    isSilent: silent,
    runs,
  };
}

/** What policies say; while it is open, only of what is taken for a cause of it now: what they said before is out of date. */
function actsOnCauses({ db, incident, isOpen, seenUntil }: Scene): ReturnType<typeof actsForIncident> {
  const acts = actsForIncident(db, incident.id);
  if (!isOpen || acts.every((act) => act.run_id !== null)) return acts;
  const roots = incident.causes.filter((cause) => cause.isRoot).flatMap((cause) => cause.componentId ?? []);
  const near = new Set(roots.flatMap((root) => [...neighbourhood(db, root, seenUntil)]));
  return acts.filter((act) => act.run_id !== null || near.has(act.component_id));
}

/** Kinds of the changes just before on the cause, its host or its parts. */
function changesOfCause({ db, incident, suspectId, seenUntil }: Scene): Set<string> {
  if (suspectId === undefined) return new Set();
  const near = neighbourhood(db, suspectId, seenUntil);
  return new Set(changesOf(db, [...near], incident.opened_at - CHANGE_MS, seenUntil, 50).map((one) => one.kind));
}

/** Whether a host does not respond: nothing can be run there. */
function isSilent({ alarms, isOpen }: Scene, { id: host }: ComponentRow): boolean {
  return (
    isOpen &&
    alarms.some(
      (one) => one.component_id === host && one.cleared_at === null && metricInfo(one.metric).uses === "reach",
    )
  );
}
