import { percentOf } from "#core/catalogue/percent-of";
import { auditAreas, auditIn, countAudit, type AuditFilter } from "../store/audit";
import { kindInfo, kindMatches } from "#core/catalogue/kinds";
import { metricInfo, metricName, splitMetric } from "#core/catalogue/metrics";
import type { Scope, SeriesDetector } from "#core/detection/detector";
import { learnFrom } from "#core/detection/learn";
import { Forgiven } from "../changes/forgiven";
import { siblingsAmong } from "#core/estate/siblings";
import type { Samples } from "#core/telemetry/chunk";
import { lowerBound } from "#core/telemetry/merge";
import { rollSamples } from "#core/telemetry/rollup";
import { detectorOf, detectors } from "#core/detection/registry";
import { replay } from "#core/detection/replay";
import { readRule, scopeText } from "#core/detection/rule";
import { DAY_MS } from "#core/time/windows";
import { groupBy } from "#core/units/group";
import { fieldsOf } from "../forms/fields";
import { alarmsByRule, listRules, ruleById } from "../store/alarms";
import { callPreview } from "./call-preview";
import { changePreview } from "./change-preview";
import { previewOf, type Tried } from "./preview-shape";
import { ownSite, saidSite } from "../causes/own-site";
import { jobPreview } from "./job-preview";
import { silencePreview } from "./silence-preview";
import { statePreview } from "./state-preview";
import { logPreview } from "./log-preview";
import { currentComponents } from "../store/estate";
import { estateFacets } from "../store/estate-list";
import { listMetrics, seriesBeside, seriesForRules, type RuleSeries } from "../store/find-series";
import type { Db } from "../store/database";
import { looseEvidence } from "../store/evidence";
import { learnedIn } from "../store/learned";
import { incidentsAt } from "../store/incidents";
import { currentMembers, listServices, relianceAt } from "../store/services";
import { readSamples, storedSamples } from "../store/signals";

/** Alarms of rules are counted over so long. */
const COUNTED_MS = 14 * DAY_MS;

/** Every rule in words, with what it raised lately; and every way of judging. */
export function rulesPage(db: Db, { atMs }: { atMs: number }) {
  const raised = alarmsByRule(db, atMs - COUNTED_MS, atMs);
  const services = new Map(listServices(db).map((service) => [service.uid, service.name]));
  const rules = listRules(db).map((rule) => {
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
      raised: raised.get(rule.id) ?? 0,
    };
  });
  return { rules, detectors: detectors().map(({ type, label, about }) => ({ type, label, about })) };
}

/** What a pattern of kinds is about: “All hosts”, “Volumes”. */
export function kindsInWords(kind: string): string {
  if (kind === "*") return "All components";
  if (!kind.endsWith(".*")) return kindInfo(kind).plural;
  return FAMILIES[kind] ?? kind;
}
const FAMILIES: Readonly<Record<string, string>> = {
  "host.*": "All hosts",
  "net.*": "All network devices",
  "app.*": "All applications",
  "db.*": "All databases",
  "queue.*": "All queues",
  "platform.*": "All platforms",
};

function scopeInWords(scope: Scope, services: ReadonlyMap<string, string>): string {
  if (scope.subject === "service")
    return scope.service === "*" ? "All services" : (services.get(scope.service) ?? scope.service);
  return kindsInWords(scope.kind);
}

/** The form of a rule, and what it can be about; a detector's own fields follow from its schema. */
export function rulePage(
  db: Db,
  {
    id,
    type,
    copy = null,
    given = {},
  }: { id: number | null; type: string; copy?: number | null; given?: Record<string, string> },
) {
  const rule = id === null ? undefined : ruleById(db, id);
  if (id !== null && !rule) return null;
  const model = rule ?? (copy === null ? undefined : ruleById(db, copy));
  const detector = detectorOf(model?.type ?? type) ?? detectors()[0];
  if (!detector) return null;
  const services = listServices(db);
  const names = new Map(services.map((service) => [service.uid, service.name]));
  const scopes: Scope[] = [
    ...["*", "host.*", "net.*", "app.*", "db.*"].map((kind) => ({ subject: "component" as const, kind })),
    ...estateFacets(db, Number.MAX_SAFE_INTEGER - 1).kinds.map(({ kind }) => ({ subject: "component" as const, kind })),
    ...["*", ...services.map((service) => service.uid)].map((service) => ({ subject: "service" as const, service })),
  ];
  if (model && !scopes.some((one) => scopeText(one) === scopeText(model.scope))) scopes.unshift(model.scope);
  return {
    rule: rule ? { id: rule.id, name: rule.name, scope: scopeText(rule.scope), enabled: rule.enabled } : null,
    firstScope: {
      series: "kind:host.*",
      calls: "kind:*",
      logs: "kind:*",
      objectives: "service:*",
      arrivals: "service:*",
      states: "service:*",
      changes: "kind:*",
      jobs: "kind:*",
    }[detector.what],
    copied: model && !rule ? { name: `${model.name} (copy)`, scope: scopeText(model.scope) } : null,
    detector: { type: detector.type, label: detector.label, about: detector.about },
    detectors: detectors().map((one) => ({ type: one.type, label: one.label, about: one.about })),
    fields: fieldsOf(detector.settings, { ...(model?.settings as Record<string, unknown>), ...given }),
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
  if (detector.what === "logs") return logPreview(db, rule, detector, fromMs, toMs);
  if (detector.what === "arrivals") return silencePreview(db, rule, detector, fromMs, toMs);
  if (detector.what === "states") return statePreview(db, rule, detector, fromMs, toMs);
  if (detector.what === "jobs") return jobPreview(db, rule, detector, fromMs, toMs);
  if (detector.what === "changes") return changePreview(db, rule, detector, fromMs, toMs);
  if (detector.what === "objectives")
    return { ok: false as const, fields: { form: "A budget has no preview: its page shows how it went, day by day." } };
  if (detector.what === "calls") return callPreview(db, rule, detector, fromMs, toMs);
  const reads = detector.reads(rule.settings);
  const uids = new Map(listServices(db).map((service) => [service.id, service]));
  const judged = seriesForRules(db, reads.metric === "*" ? undefined : reads.metric).filter((one) =>
    rule.scope.subject === "component"
      ? one.kind !== null && kindMatches(rule.scope.kind, one.kind)
      : one.service_id !== null && (rule.scope.service === "*" || uids.get(one.service_id)?.uid === rule.scope.service),
  );
  const othersOf = othersReader(db, detector.others?.(rule.settings as never), judged, fromMs, toMs);
  let samples = 0;
  const tried: Tried[] = [];
  const forgiven = new Forgiven(db);
  for (const one of judged.slice(0, MOST_REPLAYED)) {
    if (samples >= MOST_SAMPLES) break;
    const { verdicts, count } = replayOne(db, { detector, settings: rule.settings }, one, fromMs, toMs, {
      forgiven,
      othersAt: othersOf?.(one),
    });
    samples += count;
    tried.push({ name: one.name, instance: one.instance, verdicts });
  }
  const words = detector.describe(rule.settings, judged[0]?.unit ?? metricInfo(reads.metric).unit);
  return previewOf(db, words, tried, { fromMs, toMs, all: judged.length });
}

/** What others that ought to be alike measured at an instant of a window, of each series; undefined where nothing is compared. */
function othersReader(
  db: Db,
  against: "siblings" | "instances" | undefined,
  series: readonly RuleSeries[],
  fromMs: number,
  toMs: number,
) {
  if (against === undefined) return undefined;
  const rows = currentComponents(db);
  const parts = groupBy(
    rows.filter((row) => row.host_id !== null),
    (row) => row.host_id as number,
  );
  const byId = new Map(rows.map((row) => [row.id, row]));
  const read = new Map<number, Samples>();
  return (one: RuleSeries) => {
    const own = byId.get(one.component_id ?? 0);
    const siblings = new Set(own && against === "siblings" ? siblingsAmong(own, rows, parts).map(({ id }) => id) : []);
    const alike = series.filter((other) =>
      against === "instances"
        ? other.component_id === one.component_id && other.instance !== one.instance
        : other.component_id !== one.component_id &&
          siblings.has(other.component_id ?? 0) &&
          other.instance === one.instance,
    );
    return (atMs: number): number[] =>
      alike.flatMap(({ id }) => {
        const samples = read.get(id) ?? readSamples(db, id, fromMs, toMs);
        read.set(id, samples);
        const place = lowerBound(samples.times, atMs + 1) - 1;
        return place >= 0 && (samples.times[place] as number) >= atMs - STALE_MS
          ? [samples.values[place] as number]
          : [];
      });
  };
}

/**
 * What a rule would have said of one series in a window of the past, and of how many samples.
 * @param forgiven what is not learned from, read once for many series
 */
export function replayOne(
  db: Db,
  { detector, settings }: { detector: SeriesDetector; settings: unknown },
  one: RuleSeries,
  fromMs: number,
  toMs: number,
  {
    forgiven = new Forgiven(db),
    othersAt,
  }: { forgiven?: Forgiven; othersAt?: ((atMs: number) => readonly number[]) | undefined } = {},
) {
  const window = judgedSamples(db, one, detector.reads(settings as never).over, fromMs, toMs);
  const rangeAt = detector.learns
    ? rangeReader(
        db,
        one,
        window,
        forgiven.spansOf({ componentId: one.component_id, serviceId: one.service_id }, fromMs, toMs),
        { fromMs, toMs },
      )
    : undefined;
  return { verdicts: replay(detector, settings as never, window, one, rangeAt, othersAt), count: window.times.length };
}

/** The samples of a series, or what they are of another metric, percent. */
function judgedSamples(db: Db, one: RuleSeries, over: string | undefined, fromMs: number, toMs: number): Samples {
  const own = readSamples(db, one.id, fromMs, toMs);
  if (over === undefined) return own;
  const beside = seriesBeside(db, one, over);
  const whole = beside === undefined ? undefined : readSamples(db, beside, fromMs, toMs);
  let at = -1;
  const values = Float64Array.from(own.times, (time, index) => {
    while (whole && at + 1 < whole.times.length && (whole.times[at + 1] as number) <= time) at++;
    return percentOf(own.values[index] as number, whole?.values[at], over) ?? Number.NaN;
  });
  return { times: own.times, values };
}

/** What did not come for so long says nothing of an instant. */
const STALE_MS = 10 * 60_000;
const FIVE_MINUTES_MS = 5 * 60_000;

/** What was known of a series at an instant; of one that nobody judged yet, what the window itself tells. */
function rangeReader(
  db: Db,
  { id }: RuleSeries,
  window: Samples,
  forgiven: readonly { fromMs: number; toMs: number }[],
  { fromMs, toMs }: { fromMs: number; toMs: number },
) {
  const kept = learnedIn(db, id, fromMs, toMs);
  const own = kept.length ? undefined : learnFrom(rollSamples(window, FIVE_MINUTES_MS), forgiven, FIVE_MINUTES_MS);
  return (atMs: number) => own ?? (kept.findLast((one) => one.atMs <= atMs) ?? kept[0])?.range;
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
  const said = saidSite(db) ?? "";
  // One that people named stays to be chosen when nothing is there any more.
  const sites = [...new Set([said, ...currentComponents(db).map((one) => one.site)])].filter((site) => site !== "");
  return { ...storedSamples(db), fileBytes: size, sites: sites.sort(), saidSite: said, site: ownSite(db) ?? "" };
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
