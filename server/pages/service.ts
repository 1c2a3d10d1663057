import { SERVICE_CHARTS } from "#core/catalogue/kinds";
import { metricName } from "#core/catalogue/metrics";
import { fitsPattern } from "#core/estate/pattern";
import { severityRank } from "#core/alarms/severity";
import { logLevel } from "#core/telemetry/log-levels";
import { writeSelection, type Selection } from "#core/telemetry/selection";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentsById } from "../store/estate";
import { metricsOfService } from "../store/find-series";
import { incidentsIn } from "../store/incidents";
import { latestLogs } from "../store/logs";
import { resourcesOfAll } from "../store/resources";
import { healthAt, listServices, membersOf } from "../store/services";
import { seriesOfService } from "../store/signals";
import { enteredAt, waysInAt } from "../store/ways-in";
import { chartOf } from "./charts";
import { metricsPage } from "./metrics";
import type { Overlay } from "./overlay";
import { promisesOf } from "./promises";
import { answeredBy } from "./traces";

/** Lines of one drawing of members' signals. */
const MOST_LINES = 5;
const MOST_DRAWINGS = 4;
/** Metrics that fit one pattern, such as durations of several protocols. */
const MOST_ALIKE = 2;
/** Points across one of them. */
const WIDTH = 90;
const MOST_OPERATIONS = 8;
const MOST_LOGS = 8;
/** OpenTelemetry severity number from which a record is a warning. */
const WARNING = 13;
/** Members that are listed unless all are asked for; those that are unwell come first. */
const MOST_MEMBERS = 60;
/** What a service is, with its figure, members and incidents. */
export function servicePage(
  db: Db,
  {
    uid,
    atMs,
    fromMs,
    toMs,
    overlay = "none",
    allMembers = false,
  }: { uid: string; atMs: number; fromMs: number; toMs: number; overlay?: Overlay; allMembers?: boolean },
) {
  const service = listServices(db).find((one) => one.uid === uid);
  if (!service) return null;
  const health = healthAt(db, "component", atMs);
  const own = healthAt(db, "service", atMs).get(service.id);
  const relied = healthAt(db, "members", atMs).get(service.id);
  const entry = new Map(membersOf(db, service.id, atMs).map((row) => [row.component_id, row.entry === 1]));
  const members = componentsById(db, entry.keys())
    .map((component) => ({
      id: component.id,
      name: component.name,
      kind: component.kind,
      site: component.site,
      entry: entry.get(component.id) ?? false,
      severity: health.get(component.id)?.severity ?? ("cleared" as const),
      reason: health.get(component.id)?.reason ?? "",
    }))
    .sort(
      (a, b) =>
        severityRank(b.severity) - severityRank(a.severity) ||
        a.kind.localeCompare(b.kind) ||
        a.name.localeCompare(b.name),
    );
  const series = seriesOfService(db, service.id);
  const names = new Map(members.map((member) => [member.id, member.name]));
  const resources = resourcesOfAll(db, names.keys());
  const entries = new Map(members.flatMap((member) => (member.entry ? [[member.id, member.name] as const] : [])));
  const entered = enteredAt(waysInAt(db, atMs), service.id, entries.keys());
  return {
    service: { ...service, entries: service.entries },
    severity: own?.severity ?? ("cleared" as const),
    reason: own?.reason ?? "",
    /** How its members are, whether or not that hurts it. */
    relies: { severity: relied?.severity ?? ("cleared" as const), reason: relied?.reason ?? "" },
    members: allMembers ? members : members.slice(0, MOST_MEMBERS),
    memberCount: members.length,
    unwellCount: members.filter((member) => member.severity !== "cleared").length,
    chart: series
      ? {
          ...chartOf(db, series, fromMs, toMs, { width: 320, owner: service.name, overlay }),
          title: service.figure?.label ?? series.metric,
        }
      : null,
    promises: promisesOf(db, service, entered, { fromMs, toMs }),
    operations: answeredBy(db, entries, fromMs, toMs, MOST_OPERATIONS, entered.takes),
    logs: latestLogs(db, new Set(resources.keys()), fromMs, toMs, MOST_LOGS, WARNING).map((row) => ({
      id: row.id,
      atMs: row.at,
      level: logLevel(row.severity),
      body: row.body,
      sender: names.get(resources.get(row.resource_id) ?? 0) ?? "",
    })),
    incidents: incidentsIn(db, fromMs, toMs).filter((incident) =>
      incident.services.some((one) => one.id === service.id),
    ),
    changes: changesOf(
      db,
      members.map((member) => member.id),
      fromMs,
      toMs,
      30,
    ),
  };
}

/** The signals of a service's members: of each telling metric the highest few, each on its own component. */
export function serviceSignals(
  db: Db,
  { uid, fromMs, toMs, overlay = "none" }: { uid: string; fromMs: number; toMs: number; overlay?: Overlay },
) {
  const measured = metricsOfService(db, uid, fromMs, toMs);
  const chosen = SERVICE_CHARTS.flatMap((pattern) =>
    measured.filter((one) => fitsPattern(pattern, one.metric)).slice(0, MOST_ALIKE),
  );
  const drawings = [];
  for (const { metric, count } of chosen) {
    if (drawings.length === MOST_DRAWINGS) break;
    const selection: Selection = { metric, service: uid, pick: "highest", rank: "mean", count: MOST_LINES };
    const { lines, stepMs } = metricsPage(db, { selections: [selection], fromMs, toMs, width: WIDTH, overlay });
    // What was not measured in this window leaves its place to the next.
    if (lines.some((line) => line.legend.count > 0))
      drawings.push({ metric, title: metricName(metric), count, selection: writeSelection(selection), lines, stepMs });
  }
  return drawings;
}
