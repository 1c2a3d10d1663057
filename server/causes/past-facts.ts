import { namesIn } from "#core/repair/fill";
import type { CauseFacts, PolicyDefinition } from "#core/repair/policy";
import { MINUTE_MS } from "#core/time/windows";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { alarmsOfIncident, type IncidentCause, type IncidentRow } from "../store/incidents";
import type { AlarmRow } from "../store/alarms";
import { neighbourhood } from "./neighbourhood";

/** Changes this long before the incident may be behind it. */
export const CHANGE_MS = 45 * MINUTE_MS;
/** What policies call a line between sites. */
export const LINE = "line";

/** Alarms as policies that go by them look at each: on its own component, and sure. */
export const alarmCauses = (
  alarms: readonly Pick<AlarmRow, "id" | "component_id" | "subject" | "raised_at">[],
): { cause: IncidentCause; alarmId: number; raisedMs: number }[] =>
  alarms.flatMap(({ id, component_id: componentId, subject: name, raised_at: raisedMs }) =>
    componentId === null
      ? []
      : [
          {
            alarmId: id,
            raisedMs,
            cause: {
              componentId,
              serviceId: null,
              line: null,
              name,
              probability: 1,
              isRoot: true,
              explains: [id],
              unexplained: [],
              reasons: [],
            },
          },
        ],
  );

/**
 * What a policy would have looked at of an incident of the past: every alarm it had, its causes as they were last said, and
 * placeholders taken for known. Read from the store alone.
 */
export function pastCauseFacts(
  db: Db,
  incident: IncidentRow,
  cause: IncidentCause,
  policy: PolicyDefinition,
  serviceUids: readonly string[],
  onlyAlarm?: number,
): CauseFacts | undefined {
  const target = cause.componentId === null ? undefined : componentById(db, cause.componentId);
  if (!target && !cause.line) return undefined;
  const host = target?.host_id ?? target?.id;
  const near = target ? neighbourhood(db, target.id, incident.opened_at) : undefined;
  const all = alarmsOfIncident(db, incident.id);
  const alarms = all.filter((one) =>
    onlyAlarm === undefined ? !near || (one.component_id !== null && near.has(one.component_id)) : one.id === onlyAlarm,
  );
  const sameHost = incident.causes.filter((one) => {
    const row = one.componentId === null ? undefined : componentById(db, one.componentId);
    return row !== undefined && (row.host_id ?? row.id) === host;
  });
  return {
    kind: target?.kind ?? LINE,
    name: cause.name,
    site: target?.site ?? cause.line?.[0] ?? "",
    probability: cause.probability,
    hostProbability: Math.min(
      1,
      Math.max(cause.probability, target ? sameHost.reduce((sum, one) => sum + one.probability, 0) : 0),
    ),
    steadyMs: Number.POSITIVE_INFINITY,
    hostSteadyMs: Number.POSITIVE_INFINITY,
    alarms: [...new Set(alarms.map((one) => one.metric))],
    elsewhere: [...new Set(all.map((one) => one.metric))],
    changes: near
      ? [
          ...new Set(
            changesOf(db, [...near], incident.opened_at - CHANGE_MS, incident.opened_at, 50).map((one) => one.kind),
          ),
        ]
      : [],
    services: serviceUids,
    words: Object.fromEntries(
      Object.values(policy.args)
        .flatMap(namesIn)
        .map((name) => [name, "…"]),
    ),
  };
}
