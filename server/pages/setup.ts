import { auditAreas, auditIn, countAudit, type AuditFilter } from "../store/audit";
import { kindInfo, kindMatches } from "#core/catalogue/kinds";
import { metricInfo, metricName, splitMetric } from "#core/catalogue/metrics";
import type { Scope } from "#core/detection/detector";
import { detectorOf, detectors } from "#core/detection/registry";
import { alarmsIn, replay } from "#core/detection/replay";
import { readRule, scopeText } from "#core/detection/rule";
import { fieldsOf } from "../forms/fields";
import { listRules, ruleById } from "../store/alarms";
import { callPreview } from "./call-preview";
import { estateFacets } from "../store/estate-list";
import { listMetrics, seriesForRules } from "../store/find-series";
import type { Db } from "../store/database";
import { looseEvidence } from "../store/evidence";
import { incidentsAt } from "../store/incidents";
import { currentMembers, listServices, relianceAt } from "../store/services";
import { readSamples, storedSamples } from "../store/signals";

/** Every rule in words. */
export function rulesPage(db: Db, _question: object) {
  const services = new Map(listServices(db).map((service) => [service.uid, service.name]));
  return listRules(db).map((rule) => {
    const detector = detectorOf(rule.type);
    const reads = detector?.reads(rule.settings);
    const unit = reads ? metricInfo(splitMetric(reads.metric).base).unit : "";
    return {
      id: rule.id,
      name: rule.name,
      enabled: rule.enabled,
      detector: detector?.label ?? rule.type,
      words: detector?.describe(rule.settings, unit) ?? "",
      scope: scopeInWords(rule.scope, services),
    };
  });
}

function scopeInWords(scope: Scope, services: ReadonlyMap<string, string>): string {
  if (scope.subject === "service")
    return scope.service === "*" ? "All services" : (services.get(scope.service) ?? scope.service);
  if (scope.kind === "*") return "All components";
  if (!scope.kind.endsWith(".*")) return kindInfo(scope.kind).plural;
  return (
    { "host.*": "All hosts", "net.*": "All network devices", "app.*": "All applications", "db.*": "All databases" }[
      scope.kind
    ] ?? scope.kind
  );
}

/** The form of a rule, and what it can be about; a detector's own fields follow from its schema. */
export function rulePage(db: Db, { id, type }: { id: number | null; type: string }) {
  const rule = id === null ? undefined : ruleById(db, id);
  if (id !== null && !rule) return null;
  const detector = detectorOf(rule?.type ?? type) ?? detectors()[0];
  if (!detector) return null;
  const services = listServices(db);
  const names = new Map(services.map((service) => [service.uid, service.name]));
  const scopes: Scope[] = [
    ...["*", "host.*", "net.*", "app.*", "db.*"].map((kind) => ({ subject: "component" as const, kind })),
    ...estateFacets(db, Number.MAX_SAFE_INTEGER - 1).kinds.map(({ kind }) => ({ subject: "component" as const, kind })),
    ...["*", ...services.map((service) => service.uid)].map((service) => ({ subject: "service" as const, service })),
  ];
  if (rule && !scopes.some((one) => scopeText(one) === scopeText(rule.scope))) scopes.unshift(rule.scope);
  return {
    rule: rule ? { id: rule.id, name: rule.name, scope: scopeText(rule.scope), enabled: rule.enabled } : null,
    detector: { type: detector.type, label: detector.label, about: detector.about },
    detectors: detectors().map((one) => ({ type: one.type, label: one.label, about: one.about })),
    fields: fieldsOf(detector.settings, (rule?.settings ?? {}) as Record<string, unknown>),
    scopes: scopes.map((scope) => ({ value: scopeText(scope), label: scopeInWords(scope, names) })),
    metrics: listMetrics(db).map(({ metric }) => ({ value: metric, label: metricName(metric) })),
  };
}

/** Series that a preview replays at the most, and samples. */
const MOST_REPLAYED = 400;
const MOST_SAMPLES = 1_500_000;

/**
 * What a rule that is not saved yet would have raised in a window: the detector itself, over the samples that are
 * kept.
 */
export function rulePreview(
  db: Db,
  { fields, fromMs, toMs }: { fields: Readonly<Record<string, unknown>>; fromMs: number; toMs: number },
) {
  const read = readRule(fields);
  if (!read.ok) return { ok: false as const, fields: read.fields };
  const { rule, detector } = read;
  if (detector.what === "calls") return callPreview(db, rule, detector, fromMs, toMs);
  const reads = detector.reads(rule.settings);
  const uids = new Map(listServices(db).map((service) => [service.id, service]));
  const judged = seriesForRules(db, reads.metric).filter((one) =>
    rule.scope.subject === "component"
      ? one.kind !== null && kindMatches(rule.scope.kind, one.kind)
      : one.service_id !== null && (rule.scope.service === "*" || uids.get(one.service_id)?.uid === rule.scope.service),
  );
  let samples = 0;
  let replayed = 0;
  let raised = 0;
  const hits: { name: string; instance: string; raised: number; standingMs: number }[] = [];
  for (const one of judged.slice(0, MOST_REPLAYED)) {
    if (samples >= MOST_SAMPLES) break;
    const window = readSamples(db, one.id, fromMs, toMs);
    samples += window.times.length;
    replayed++;
    const found = alarmsIn(replay(detector, rule.settings, window, one), toMs);
    raised += found.raised;
    if (found.raised) hits.push({ name: one.name, instance: one.instance, ...found });
  }
  return {
    ok: true as const,
    words: detector.describe(rule.settings, judged[0]?.unit ?? metricInfo(reads.metric).unit),
    series: judged.length,
    replayed,
    raised,
    hits: hits.sort((a, b) => b.raised - a.raised || b.standingMs - a.standingMs).slice(0, 20),
    more: Math.max(0, hits.length - 20),
  };
}

export function servicesPage(db: Db, { atMs }: { atMs: number }) {
  const reliance = relianceAt(db, atMs);
  const services = listServices(db);
  const names = new Map(services.map((service) => [service.id, service.name]));
  return services.map((service) => ({
    ...service,
    members: currentMembers(db, service.id).length,
    reliesOn: [...(reliance.get(service.id) ?? [])].map((id) => names.get(id) ?? ""),
  }));
}

export function storePage(db: Db, _question: object) {
  const size =
    (db.pragma("page_count", { simple: true }) as number) * (db.pragma("page_size", { simple: true }) as number);
  return { ...storedSamples(db), fileBytes: size };
}

/** The evidence tray of a person: what is pinned and not attached yet, and the incidents it could go to. */
export function trayPage(db: Db, { by, nowMs }: { by: string; nowMs: number }) {
  return {
    pins: looseEvidence(db, by),
    incidents: incidentsAt(db, nowMs).map((incident) => ({ id: incident.id, title: incident.title })),
  };
}

/** What people did in a window, newest first. */
export function auditPage(db: Db, { page, pageSize, ...filter }: AuditFilter & { page: number; pageSize: number }) {
  return {
    rows: auditIn(db, filter, pageSize, page * pageSize),
    total: countAudit(db, filter),
    refused: filter.outcome === "done" ? 0 : countAudit(db, { ...filter, outcome: "refused" }),
    areas: auditAreas(db),
  };
}
