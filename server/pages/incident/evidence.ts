import { worstSeverity, type Severity } from "#core/alarms/severity";
import { metricInfo } from "#core/catalogue/metrics";
import { mostAlike, type Signature } from "#core/correlation/likeness";
import { natureOf } from "#core/correlation/harm";
import { priorityOf, type ServiceHarm } from "#core/correlation/priority";
import { BUDGET_MS, budgetBurnt } from "#core/stats/objective";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { changesOf } from "../../store/changes";
import { prepared, type Db } from "../../store/database";
import { componentsById, partsOfHost } from "../../store/estate";
import { alarmsOfIncident, incidentsIn, type IncidentRow } from "../../store/incidents";
import { countedBy, keptReader, objectiveReader } from "../../store/objective-calls";
import { resourcesOfAll } from "../../store/resources";
import { entriesByService, listServices } from "../../store/services";
import { floorTo } from "../../store/log-tallies";
import { operationsOf } from "../../store/spans";
import { enteredAt, waysInAt } from "../../store/ways-in";
import { withTickets } from "../../changes/with-tickets";
import { isAnswer } from "../traces";

type IncidentAlarm = ReturnType<typeof alarmsOfIncident>[number];

/** When an incident began, by its alarms; a budget that was burnt over hours says nothing of it. */
export function beganAt(incident: Pick<IncidentRow, "opened_at">, alarms: readonly IncidentAlarm[]): number {
  const onsets = alarms.flatMap((one) => (metricInfo(one.metric).lags ? [] : [one.onset_at]));
  return onsets.length ? Math.min(...onsets) : incident.opened_at;
}

/** Who is really hurt by an incident, and who only relies on something unwell. */
export interface HarmLine {
  id: number;
  name: string;
  isHurt: boolean;
  severity: Severity;
  sinceMs: number | null;
  /** Calls at its entry points while the incident lasted, and how many of them failed; null where none are measured. */
  calls: number | null;
  failed: number | null;
  /** Share of the budget of 30 days that went while the incident lasted; null where nothing was promised. */
  burnt: number | null;
}

/** Calls that are answered badly; what an entry point itself calls is none. */
const isAnswered = ({ metric, qualifier }: Pick<IncidentAlarm, "metric" | "qualifier">): boolean =>
  metric.startsWith("calls.") && !qualifier.startsWith("to ");

/** Which services of some incidents are hurt by their own calls or figures, or where they are entered, by "incident service". */
export function hurtServices(db: Db, incidentIds: readonly number[]): Map<string, ServiceHarm> {
  const hurt = new Map<string, ServiceHarm>();
  const ways = waysInAt(db, Number.MAX_SAFE_INTEGER);
  const rows = prepared<{
    incident: number;
    service: number;
    worst: Severity;
    component: number | null;
    qualifier: string;
  }>(
    db,
    `SELECT j.incident_id AS incident, a.subject_id AS service, a.worst, NULL AS component, a.qualifier FROM incident_alarm j JOIN alarm a ON a.id = j.alarm_id
     WHERE a.subject_type = 'service' AND j.incident_id IN (SELECT value FROM json_each(:ids))
     UNION ALL
     SELECT j.incident_id, m.service_id, a.worst, a.subject_id, a.qualifier FROM incident_alarm j JOIN alarm a ON a.id = j.alarm_id
       JOIN member m ON m.component_id = a.subject_id AND m.entry = 1 AND m.valid_to IS NULL
       JOIN incident_service o ON o.incident_id = j.incident_id AND o.service_id = m.service_id
     WHERE a.subject_type = 'component' AND a.metric IN ('calls.failing', 'calls.slow') AND a.qualifier NOT LIKE 'to %'
       AND a.quiet IS NULL AND j.incident_id IN (SELECT value FROM json_each(:ids))`,
  ).all({ ids: JSON.stringify(incidentIds) });
  for (const { incident, service, worst, component, qualifier } of rows) {
    if (component !== null && !ways.takes(service, component, qualifier)) continue;
    const key = `${incident} ${service}`;
    const known = hurt.get(key);
    hurt.set(key, { isHurt: true, severity: known ? worstSeverity([known.severity, worst]) : worst });
  }
  return hurt;
}

/** The harm of an incident, service by service, and the priority that follows from it. */
export function harmOf(db: Db, incident: IncidentRow, alarms: readonly IncidentAlarm[], toMs: number) {
  const entries = entriesByService(db, toMs);
  const ways = waysInAt(db, toMs);
  const known = new Map(listServices(db).map((one) => [one.id, one]));
  const fromMs = beganAt(incident, alarms);
  const lines = incident.services.map(({ id, name }): HarmLine => {
    const own = alarms.filter(
      (one) =>
        one.quiet === null &&
        (one.subject_type === "service"
          ? one.subject_id === id
          : isAnswered(one) &&
            entries.get(id)?.has(one.component_id ?? 0) === true &&
            ways.takes(id, one.component_id ?? 0, one.qualifier)),
    );
    const entered = enteredAt(ways, id, entries.get(id) ?? []);
    const kept = entries.get(id) && keptReader(db, entered, undefined)(fromMs, toMs);
    const service = known.get(id);
    const target = service?.details.objectivePercent;
    const burnt =
      !service || target === undefined || !entries.get(id)
        ? undefined
        : budgetBurnt(
            objectiveReader(db, service, entered, toMs)(fromMs, toMs).bad,
            countedBy(db, service, entered, { fromMs: toMs - BUDGET_MS, toMs }),
            target / 100,
          );
    return {
      id,
      name,
      isHurt: own.length > 0,
      severity: own.length ? worstSeverity(own.map((one) => one.worst)) : "warning",
      sinceMs: own.length ? Math.max(fromMs, Math.min(...own.map((one) => one.onset_at))) : null,
      calls: kept && kept.calls > 0 ? kept.calls : null,
      failed: kept && kept.calls > 0 ? kept.bad : null,
      burnt: burnt ?? null,
    };
  });
  lines.sort(
    (a, b) => Number(b.isHurt) - Number(a.isHurt) || (b.failed ?? 0) - (a.failed ?? 0) || (a.name < b.name ? -1 : 1),
  );
  const follows = priorityOf(lines);
  return { services: lines, priority: incident.priority ?? follows, follows };
}

/** Components that take part: what is alarmed, what runs there, and what is taken for a cause. */
export function takingPart(db: Db, incident: IncidentRow, alarms: readonly IncidentAlarm[]): number[] {
  const own = new Set([
    ...alarms.flatMap((one) => one.component_id ?? []),
    ...incident.causes.slice(0, 3).flatMap((one) => one.componentId ?? []),
  ]);
  for (const id of [...own].slice(0, MOST_HOSTS))
    for (const part of partsOfHost(db, id, incident.opened_at)) own.add(part.id);
  return [...own];
}

const MOST_HOSTS = 40;
const MOST_LOGS = 8;
const WARNING = 13;
/** How much more often a pattern must come than in the hour before, and at least how often. */
const MORE = 4;
const LEAST = 3;

/** A log pattern of those that take part that is new, or comes much more often than in the hour before. */
export interface LoudPattern {
  patternId: number;
  text: string;
  severity: number;
  componentId: number;
  component: string;
  count: number;
  /** How often it came in as much time of the hour before. */
  before: number;
  isNew: boolean;
  firstMs: number;
}

/** Log patterns new or much more frequent on the parts taking part, new ones first. */
export function loudPatterns(db: Db, components: readonly number[], fromMs: number, toMs: number): LoudPattern[] {
  const resources = [...resourcesOfAll(db, components).keys()];
  if (!resources.length) return [];
  const began = fromMs - 2 * MINUTE_MS;
  const until = Math.min(toMs, began + HOUR_MS);
  const rows = prepared<{
    patternId: number;
    text: string;
    firstAt: number;
    severity: number;
    componentId: number;
    component: string;
    count: number;
    firstMs: number;
  }>(
    db,
    `SELECT t.pattern_id AS patternId, p.text, p.first_at AS firstAt, max(t.severity) AS severity, r.component_id AS componentId,
       c.name AS component, sum(t.count) AS count, min(t.minute_at) AS firstMs
     FROM log_tally t JOIN log_pattern p ON p.id = t.pattern_id JOIN resource r ON r.id = t.resource_id
     JOIN component c ON c.id = r.component_id
     WHERE t.minute_at >= :from AND t.minute_at <= :to AND t.severity >= :severity
       AND t.resource_id IN (SELECT value FROM json_each(:resources))
     GROUP BY t.pattern_id, r.component_id ORDER BY count DESC LIMIT 200`,
  ).all({ from: floorTo(MINUTE_MS, began), to: until, severity: WARNING, resources: JSON.stringify(resources) });
  const before = new Map(
    prepared<{ key: string; count: number }>(
      db,
      `SELECT t.pattern_id || ' ' || r.component_id AS key, sum(t.count) AS count
       FROM log_tally t JOIN resource r ON r.id = t.resource_id
       WHERE t.minute_at >= :from AND t.minute_at < :to AND t.severity >= :severity
         AND t.resource_id IN (SELECT value FROM json_each(:resources))
       GROUP BY t.pattern_id, r.component_id`,
    )
      .all({
        from: floorTo(MINUTE_MS, began - HOUR_MS),
        to: floorTo(MINUTE_MS, began),
        severity: WARNING,
        resources: JSON.stringify(resources),
      })
      .map((row) => [row.key, row.count]),
  );
  const share = Math.max(MINUTE_MS, until - began) / HOUR_MS;
  return rows
    .map(({ firstAt, ...row }) => ({
      ...row,
      before: Math.round((before.get(`${row.patternId} ${row.componentId}`) ?? 0) * share * 10) / 10,
      isNew: firstAt >= began,
    }))
    .filter((row) => row.isNew || (row.count >= LEAST && row.count >= MORE * Math.max(1, row.before)))
    .sort((a, b) => Number(b.isNew) - Number(a.isNew) || b.severity - a.severity || b.count - a.count)
    .slice(0, MOST_LOGS);
}

const MOST_OPERATIONS = 24;
const MOST_TRACES = 4;
const SAMPLE_MS = 30 * MINUTE_MS;
/** So many times as long as a healthy one is worth looking at. */
const MUCH_LONGER = 2;

/** A request that failed or took long while it went wrong, beside a healthy one of the same operation before. */
export interface TracePair {
  operation: string;
  component: string;
  failed: boolean;
  ms: number;
  traceId: string;
  healthy: { traceId: string; ms: number } | null;
}

/** Failing or slow requests of those that take part, the failed first, each beside a healthy one of before. */
export function tracePairs(db: Db, components: readonly number[], beganMs: number, toMs: number): TracePair[] {
  const resources = resourcesOfAll(db, components);
  const operations = operationsOf(db, resources.keys()).filter((one) => isAnswer(one.kind));
  const worst = prepared<{ trace: Buffer; status: number; us: number }>(
    db,
    `SELECT trace_id AS trace, status, duration_us AS us FROM span WHERE operation_id = ? AND start_us >= ? AND start_us < ?
     ORDER BY status = 2 DESC, duration_us DESC LIMIT 1`,
  );
  const healthyOnes = prepared<{ trace: Buffer; us: number }>(
    db,
    `SELECT trace_id AS trace, duration_us AS us FROM span WHERE operation_id = ? AND start_us >= ? AND start_us < ? AND status <> 2
     ORDER BY start_us DESC LIMIT 51`,
  );
  // The last of it: an incident that was opened again began long before.
  const fromMs = Math.max(beganMs - MINUTE_MS, toMs - SAMPLE_MS);
  const names = new Map(componentsById(db, new Set(resources.values())).map((row) => [row.id, row.name]));
  return operations
    .slice(0, MOST_OPERATIONS)
    .flatMap(({ id, name, resource_id }): TracePair[] => {
      const bad = worst.get(id, fromMs * 1000, toMs * 1000);
      if (!bad) return [];
      // The middle one of the last before it began: neither luckier nor unluckier than most.
      const before = healthyOnes
        .all(id, (beganMs - HOUR_MS) * 1000, (beganMs - 2 * MINUTE_MS) * 1000)
        .sort((a, b) => a.us - b.us);
      const middle = before[before.length >> 1];
      if (bad.status !== 2 && (!middle || bad.us < MUCH_LONGER * middle.us)) return [];
      return [
        {
          operation: name,
          component: names.get(resources.get(resource_id) ?? 0) ?? "",
          failed: bad.status === 2,
          ms: bad.us / 1000,
          traceId: bad.trace.toString("hex"),
          healthy: middle ? { traceId: middle.trace.toString("hex"), ms: middle.us / 1000 } : null,
        },
      ];
    })
    .sort((a, b) => Number(b.failed) - Number(a.failed) || ratioOf(b) - ratioOf(a))
    .slice(0, MOST_TRACES);
}

const ratioOf = ({ ms, healthy }: TracePair) => (healthy ? ms / Math.max(0.01, healthy.ms) : 1);

const CHANGES_MS = 2 * HOUR_MS;
const MOST_CHANGES = 8;
const PLAIN = new Set(["membership", "level", "runbook"]);

/** Changes just before on what takes part, those without a ticket first. */
export function changesBefore(db: Db, components: readonly number[], fromMs: number, nowMs: number) {
  const rows = changesOf(db, components, fromMs - CHANGES_MS, fromMs + 5 * MINUTE_MS, 60).filter(
    (row) => !PLAIN.has(row.kind),
  );
  return withTickets(db, rows, nowMs)
    .sort((a, b) => Number(b.standing === "none") - Number(a.standing === "none") || b.at - a.at)
    .slice(0, MOST_CHANGES);
}

function signatureOf(
  alarms: readonly Pick<IncidentAlarm, "subject_type" | "subject_id" | "metric" | "kind">[],
): Signature {
  return {
    exact: new Set(alarms.map((one) => `${one.subject_type}:${one.subject_id} ${natureOf(one.metric)}`)),
    kinds: new Set(alarms.map((one) => `${one.kind} ${natureOf(one.metric)}`)),
  };
}

const PAST_MS = 90 * DAY_MS;
const MOST_PAST = 400;

/** Past incidents that looked like this one, with what they turned out to be. */
export function similarIncidents(db: Db, incident: IncidentRow, alarms: readonly IncidentAlarm[]) {
  const past = incidentsIn(db, incident.opened_at - PAST_MS, incident.opened_at - 1, MOST_PAST).filter(
    (row) => row.id !== incident.id,
  );
  const rows = prepared<{ incident: number; subject_type: string; subject_id: number; metric: string; kind: string }>(
    db,
    `SELECT j.incident_id AS incident, a.subject_type, a.subject_id, a.metric, coalesce(c.kind, a.subject_type) AS kind
     FROM incident_alarm j JOIN alarm a ON a.id = j.alarm_id LEFT JOIN component c ON c.id = a.component_id
     WHERE j.incident_id IN (SELECT value FROM json_each(?))`,
  ).all(JSON.stringify(past.map((row) => row.id)));
  const of = new Map<number, typeof rows>();
  for (const row of rows) of.set(row.incident, [...(of.get(row.incident) ?? []), row]);
  const own = signatureOf(alarms);
  return mostAlike(
    own,
    past.map((row) => ({
      row,
      openedMs: row.opened_at,
      signature: signatureOf((of.get(row.id) ?? []) as Parameters<typeof signatureOf>[0]),
    })),
  ).map(({ row, alike }) => ({
    id: row.id,
    title: row.title,
    openedMs: row.opened_at,
    alike,
    cause: row.confirmed?.name ?? row.causes[0]?.name ?? null,
    isConfirmed: row.confirmed !== null,
    remark: row.confirmed?.remark ?? "",
  }));
}
