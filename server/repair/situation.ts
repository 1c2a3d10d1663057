import type { PastAct, Situation } from "#core/repair/guardrails";
import { serviceState } from "#core/topology/impact";
import { HOUR_MS } from "#core/time/windows";
import { neighbourhood } from "../causes/neighbourhood";
import { structureAt } from "../causes/structure-at";
import { firstChangeMs } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import { readHalt } from "../store/policies";
import { runsOfIncident, runsSince, touchedByRuns, type RunRow } from "../store/runs";
import { healthAt, listServices, membersAt } from "../store/services";
import { incidentById, openIncidentOn } from "../store/incidents";
import { silentComponents } from "./place";
import { standIns } from "./stand-ins";

/** Acts are looked back at so far. */
const BACK_MS = 24 * HOUR_MS;

export interface Asked {
  policyId: number | null;
  choreId?: number | null;
  /** Whether an open incident about the target holds it back. */
  mindsIncidents?: boolean;
  runbookId: number;
  incidentId: number | null;
  target: ComponentRow;
  touches: readonly number[];
  nowMs: number;
  /** Planned work under way on a component, as words. */
  plannedWork: (id: number) => string | null;
}

/** All that the guardrails need to know of the estate, read from the store. */
export function situationOf(db: Db, asked: Asked): Situation {
  const { target, nowMs, incidentId } = asked;
  const members = new Map<number, number[]>();
  for (const { service_id, component_id } of membersAt(db, nowMs))
    members.set(service_id, [...(members.get(service_id) ?? []), component_id]);
  const host = target.host_id === null ? undefined : componentById(db, target.host_id);
  const services = listServices(db)
    .filter(({ id }) => members.get(id)?.includes(target.id))
    .map(({ id, name }) => ({ id, name, members: members.get(id) ?? [] }));
  const silent = silentComponents(db);
  const health = healthAt(db, "component", nowMs);
  const isWell = (one: ComponentRow) =>
    ![one.id, one.host_id].some(
      (id) => id !== null && (silent.has(id) || ["critical", "major"].includes(health.get(id)?.severity ?? "")),
    );
  const servicesOf = (id: number) => [...members].filter(([, ids]) => ids.includes(id)).map(([service]) => service);
  const acts = new Map<number, RunRow>();
  for (const run of [...(incidentId === null ? [] : runsOfIncident(db, incidentId)), ...runsSince(db, nowMs - BACK_MS)])
    acts.set(run.id, run);
  const past = [...acts.values()]
    .sort((a, b) => a.started_at - b.started_at || a.id - b.id)
    .map((run): PastAct => ({
      runId: run.id,
      atMs: run.started_at,
      runbookId: run.runbook_id,
      componentId: run.component_id,
      serviceIds: servicesOf(run.component_id),
      incidentId: run.incident_id,
      policyId: run.policy_id,
      choreId: run.chore_id,
      state: run.state,
    }));
  return {
    nowMs,
    haltedBy: readHalt(db)?.by ?? null,
    policyId: asked.policyId,
    choreId: asked.choreId ?? null,
    ...(asked.mindsIncidents ? { openIncident: openIncidentOn(db, neighbourhood(db, target.id, nowMs)) ?? null } : {}),
    runbookId: asked.runbookId,
    incidentId,
    target: {
      id: target.id,
      name: target.name,
      firstSeenMs: Math.min(firstKnownMs(db, target), host ? firstKnownMs(db, host) : Number.POSITIVE_INFINITY),
      plannedWork: asked.plannedWork(target.id),
    },
    set: standIns(db, target, nowMs).map((one) => ({ id: one.id, name: one.name, isWell: isWell(one) })),
    services,
    wouldHurt: wouldHurt(db, target, incidentId, nowMs),
    touches: asked.touches,
    acts: past,
    underWay: touchedByRuns(db),
    against: againstOf(past, asked, acts),
  };
}

/** Since when a component has been known, though it was gone for a while. */
const firstKnownMs = (db: Db, one: ComponentRow): number =>
  Math.min(one.valid_from, firstChangeMs(db, one.id) ?? one.valid_from);

/** Services that would go down with the target by structure, apart from those that are hurt already. */
function wouldHurt(db: Db, target: ComponentRow, incidentId: number | null, atMs: number): string[] {
  const estate = structureAt(db, atMs);
  const impact = estate.structure.impact([target.id]);
  const health = healthAt(db, "service", atMs);
  const hurt = new Set([
    ...health.keys(),
    ...(incidentId === null ? [] : (incidentById(db, incidentId)?.services ?? []).map((one) => one.id)),
  ]);
  return estate.services
    .filter(({ id }) => !hurt.has(id) && serviceState(estate.entrances.get(id) ?? [], impact) === "down")
    .map(({ name }) => name);
}

/** So often two policies must have taken turns on one component before it is called a swing. */
const TURNS = 3;

/** The other policy, where it and this one have been acting on the target by turns. */
function againstOf(past: readonly PastAct[], asked: Asked, runs: ReadonlyMap<number, RunRow>): string | null {
  if (asked.policyId === null) return null;
  const here = past.filter(
    (act) => act.componentId === asked.target.id && act.policyId !== null && act.atMs > asked.nowMs - 2 * HOUR_MS,
  );
  const turns = here.slice(-TURNS);
  const isSwing =
    turns.length === TURNS &&
    turns.every((act, index) => (act.policyId === asked.policyId) === ((TURNS - index) % 2 === 0)) &&
    new Set(turns.map((act) => act.policyId)).size === 2;
  const other = turns.findLast((act) => act.policyId !== asked.policyId);
  return isSwing && other ? (runs.get(other.runId)?.policy ?? "another policy") : null;
}
