import { kindInfo } from "#core/catalogue/kinds";
import { niceStep } from "#core/telemetry/lines";
import { LogCounts, type LogSender, type LogTally } from "#core/telemetry/log-counts";
import { LOG_LEVELS, logLevel } from "#core/telemetry/log-levels";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { cameBetween, patternIdsIn, talliesIn } from "../store/log-tallies";
import {
  logById,
  logCount,
  logNeighbours,
  patternsOf,
  readSearch,
  searchLogs,
  type LogFilter,
  type LogPage,
  type LogRow,
} from "../store/logs";
import { allResources, namedResources } from "../store/resources";
import { listServices, membersOf } from "../store/services";

export interface LogQuestion {
  fromMs: number;
  toMs: number;
  text: string;
  leastSeverity: number;
  /** Records of one component; of a host with its processes. */
  component: number | null;
  service: string;
  pattern: number | null;
  traceId: string;
  /** Only patterns that did not come in the week before the window. */
  onlyNew: boolean;
  before: number | null;
}

const PAGE = 60;
/** With words, counts are of at most this many records. */
const MOST_COUNTED = 20_000;
const BARS = 72;
/** Senders and patterns listed; the rest is counted. */
const MOST_SENDERS = 14;
const MOST_PATTERNS = 100;
const WEEK_MS = 7 * DAY_MS;

/** A sender with what it is named to. */
interface Sender extends LogSender {
  id: number;
  hostId: number | null;
}

/** Every sender by its number. */
function senders(db: Db): Map<number, Sender> {
  return new Map(
    namedResources(db).map(({ id, attributes, component, component_id, host_id, kind }) => {
      const said = JSON.parse(attributes) as Record<string, string>;
      const parts = [said["service.name"] ?? said["app.name"], said["host.name"] ?? said["source.address"]];
      const name = component ?? (parts.filter(Boolean).join(" @ ") || "unnamed sender");
      return [id, { id, componentId: component_id, hostId: host_id, name, kind }];
    }),
  );
}

/** The senders that are asked for, or undefined for all. */
function sendersAsked(db: Db, known: ReadonlyMap<number, Sender>, question: LogQuestion): Set<number> | undefined {
  const { component, service } = question;
  if (component === null && !service) return undefined;
  const serviceId = listServices(db).find((one) => one.uid === service)?.id;
  const members = new Set(
    serviceId === undefined ? [] : membersOf(db, serviceId, question.toMs).map((row) => row.component_id),
  );
  const isAsked = ({ componentId, hostId }: Sender) =>
    (component === null || componentId === component || hostId === component) &&
    (!service || (componentId !== null && members.has(componentId)));
  return new Set([...known.values()].filter(isAsked).map((one) => one.id));
}

/** Tells which patterns came in the week before the window; what was looked up is kept for the page. */
function pastOf(db: Db, fromMs: number) {
  const came = new Map<number, boolean>();
  return (ids: readonly number[]) => {
    const unknown = ids.filter((id) => !came.has(id));
    for (const pattern of patternsOf(db, unknown))
      came.set(pattern.id, cameBetween(db, pattern, fromMs - WEEK_MS, fromMs));
    return (id: number) => came.get(id) ?? false;
  };
}

/** The patterns that are asked for, or undefined for all. */
function patternsAsked(db: Db, isOld: ReturnType<typeof pastOf>, question: LogQuestion): Set<number> | undefined {
  const { pattern, onlyNew, fromMs, toMs } = question;
  const inWindow = onlyNew ? [...patternIdsIn(db, fromMs, toMs)] : [];
  const old = isOld(inWindow);
  const fresh = onlyNew ? new Set(inWindow.filter((id) => !old(id))) : undefined;
  return pattern === null ? fresh : new Set([pattern].filter((id) => fresh?.has(id) ?? true));
}

/** What is counted of a window: without words by minutes or half hours, with words each record that was found. */
function* countedOf(db: Db, filter: LogFilter, stepMs: number, found: LogPage | undefined): Generator<LogTally> {
  const { leastSeverity, resourceIds, patternIds } = filter;
  if (found)
    for (const { at, pattern_id, resource_id, severity } of found.rows)
      yield { atMs: at, patternId: pattern_id, resourceId: resource_id, severity, count: 1 };
  else
    for (const one of talliesIn(db, filter.fromMs, filter.toMs, stepMs))
      if (
        one.severity >= leastSeverity &&
        (resourceIds?.has(one.resourceId) ?? true) &&
        (patternIds?.has(one.patternId) ?? true)
      )
        yield one;
}

/** Records that fit, newest first, and how many there are by time, level, sender and pattern. */
export function logsPage(db: Db, question: LogQuestion) {
  const { fromMs, toMs } = question;
  const known = senders(db);
  const isOld = pastOf(db, fromMs);
  const resourceIds = sendersAsked(db, known, question);
  const patternIds = patternsAsked(db, isOld, question);
  const filter: LogFilter = {
    fromMs,
    toMs,
    ...readSearch(question.text),
    leastSeverity: question.leastSeverity,
    ...(resourceIds ? { resourceIds } : {}),
    ...(patternIds ? { patternIds } : {}),
    ...(question.traceId ? { traceId: question.traceId } : {}),
  };
  const worded = filter.words.length > 0 || filter.without.length > 0 || question.traceId !== "";
  const stepMs = Math.max(worded ? 1000 : MINUTE_MS, niceStep(toMs - fromMs, BARS));
  const found = worded ? searchLogs(db, filter, null, MOST_COUNTED) : undefined;
  const page = found && question.before === null ? firstOf(found) : searchLogs(db, filter, question.before, PAGE);
  const counts = new LogCounts(fromMs, toMs, stepMs, (id) => known.get(id));
  for (const one of countedOf(db, filter, stepMs, found)) counts.add(one);
  return {
    rows: page.rows.map((row) => describe(row, known.get(row.resource_id))),
    next: page.next,
    /** The search ended early because it took too long. */
    cut: page.cut || (found?.cut ?? false),
    total: counts.total,
    /** More were found than are counted. */
    more: found !== undefined && found.next !== null,
    kept: logCount(db),
    stepMs,
    bars: [...counts.bars].sort((a, b) => a[0] - b[0]).map(([atMs, bar]) => ({ atMs, counts: bar })),
    levels: LOG_LEVELS.map(({ level, least }) => ({ level, least, count: counts.levels.get(level) ?? 0 })),
    components: [...counts.senders.values()].sort((a, b) => b.count - a.count).slice(0, MOST_SENDERS),
    componentCount: counts.senders.size,
    ...shownPatterns(db, counts, isOld),
    component: question.component === null ? null : (componentById(db, question.component)?.name ?? null),
    service: listServices(db).find((one) => one.uid === question.service)?.name ?? null,
    pattern: question.pattern === null ? null : (patternsOf(db, [question.pattern])[0]?.text ?? null),
  };
}

/** The first page of what a search with words found. */
const firstOf = ({ rows, cut }: LogPage): LogPage => ({
  rows: rows.slice(0, PAGE),
  next: rows.length > PAGE ? (rows[PAGE - 1] as LogRow).id : null,
  cut,
});

/** The patterns that came most, those that are new first. */
function shownPatterns(db: Db, counts: LogCounts, isOld: ReturnType<typeof pastOf>) {
  const best = [...counts.patterns].sort((a, b) => b[1].count - a[1].count);
  const isKnown = isOld(best.map(([id]) => id));
  const fresh = best.filter(([id]) => !isKnown(id));
  const shown = [...new Set([...fresh.slice(0, MOST_PATTERNS), ...best.slice(0, MOST_PATTERNS)])];
  const rows = new Map(
    patternsOf(
      db,
      shown.map(([id]) => id),
    ).map((row) => [row.id, row]),
  );
  return {
    patterns: shown.map(([id, one]) => ({
      id,
      text: rows.get(id)?.text ?? "",
      count: one.count,
      sparks: one.sparks,
      level: logLevel(one.worst),
      isNew: !isKnown(id),
      firstMs: rows.get(id)?.first_at ?? 0,
      lastMs: rows.get(id)?.last_at ?? 0,
      senders: [...one.senders].sort((a, b) => b[1] - a[1]).map(([name]) => name),
    })),
    patternCount: counts.patterns.size,
    newPatterns: fresh.length,
  };
}

function describe(row: LogRow, sender: { componentId: number | null; name: string } | undefined) {
  return {
    id: row.id,
    atMs: row.at,
    level: logLevel(row.severity),
    body: row.body,
    patternId: row.pattern_id,
    componentId: sender?.componentId ?? null,
    sender: sender?.name ?? "unnamed sender",
    traceId: row.trace_id,
  };
}

/** One record with everything about it, and what its sender said just before and after. */
export function logPage(db: Db, { id }: { id: number }) {
  const row = logById(db, id);
  if (!row) return null;
  const known = senders(db);
  const resource = allResources(db).find((one) => one.id === row.resource_id);
  const pattern = patternsOf(db, [row.pattern_id])[0];
  const sender = known.get(row.resource_id);
  return {
    ...describe(row, sender),
    kind: sender?.kind ? kindInfo(sender.kind).label : null,
    attributes: row.attributes
      ? Object.entries(JSON.parse(row.attributes) as Record<string, unknown>).map(([name, value]) => ({
          name,
          value: typeof value === "string" ? value : JSON.stringify(value),
        }))
      : [],
    resource: resource
      ? Object.entries(JSON.parse(resource.attributes) as Record<string, string>).map(([name, value]) => ({
          name,
          value,
        }))
      : [],
    matchedBy: resource?.matched_by ?? "",
    pattern: pattern
      ? { id: pattern.id, text: pattern.text, count: pattern.count, firstMs: pattern.first_at, lastMs: pattern.last_at }
      : null,
    neighbours: logNeighbours(db, row, 8).map((one) => describe(one, sender)),
  };
}
