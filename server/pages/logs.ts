import { kindInfo } from "#core/catalogue/kinds";
import { niceStep } from "#core/telemetry/lines";
import { LOG_LEVELS, logLevel, type LogLevel } from "#core/telemetry/log-levels";
import { DAY_MS, MINUTE_MS } from "#core/time/windows";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { cameBetween, patternIdsIn, talliesIn, type Tally } from "../store/log-tallies";
import {
  logById,
  logCount,
  logNeighbours,
  patternsOf,
  readSearch,
  searchLogs,
  type LogFilter,
  type LogRow,
} from "../store/logs";
import { allResources, namedResources } from "../store/resources";
import { listServices, membersAt } from "../store/services";

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
const SPARKS = 32;
const WEEK_MS = 7 * DAY_MS;

/** Senders with what they are named to. */
function senders(db: Db) {
  return new Map(
    namedResources(db).map((resource) => {
      const said = JSON.parse(resource.attributes) as Record<string, string>;
      const name =
        resource.component ??
        ([said["service.name"] ?? said["app.name"], said["host.name"] ?? said["source.address"]]
          .filter(Boolean)
          .join(" @ ") ||
          "unnamed sender");
      return [
        resource.id,
        { id: resource.id, componentId: resource.component_id, hostId: resource.host_id, name, kind: resource.kind },
      ] as const;
    }),
  );
}

export function logsPage(db: Db, question: LogQuestion) {
  const { fromMs, toMs } = question;
  const known = senders(db);
  let resourceIds: Set<number> | undefined;
  const narrow = (keep: (one: { componentId: number | null; hostId: number | null }) => boolean) => {
    resourceIds = new Set(
      [...known.values()].filter((one) => (resourceIds?.has(one.id) ?? true) && keep(one)).map((one) => one.id),
    );
  };
  if (question.component !== null)
    narrow((one) => one.componentId === question.component || one.hostId === question.component);
  if (question.service) {
    const service = listServices(db).find((one) => one.uid === question.service);
    const members = new Set(
      membersAt(db, toMs)
        .filter((row) => row.service_id === service?.id)
        .map((row) => row.component_id),
    );
    narrow((one) => one.componentId !== null && members.has(one.componentId));
  }
  const came = new Map<number, boolean>();
  /** Whether a pattern came in the week before the window. */
  const isOld = (ids: readonly number[]) => {
    for (const pattern of patternsOf(
      db,
      ids.filter((id) => !came.has(id)),
    ))
      came.set(pattern.id, cameBetween(db, pattern, fromMs - WEEK_MS, fromMs));
    return (id: number) => came.get(id) ?? false;
  };
  const inWindow = question.onlyNew ? [...patternIdsIn(db, fromMs, toMs)] : [];
  const old = isOld(inWindow);
  const within = question.onlyNew ? new Set(inWindow.filter((id) => !old(id))) : undefined;
  const patternIds =
    question.pattern === null ? within : new Set([question.pattern].filter((id) => within?.has(id) ?? true));
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
  // Without words everything is counted by minutes or half hours; with words the records found are.
  const found = worded ? searchLogs(db, filter, null, MOST_COUNTED) : undefined;
  const counted: Iterable<Tally> = found
    ? found.rows.map((row) => ({
        atMs: row.at,
        patternId: row.pattern_id,
        resourceId: row.resource_id,
        severity: row.severity,
        count: 1,
      }))
    : talliesIn(db, fromMs, toMs, stepMs);
  const page =
    found && question.before === null
      ? {
          rows: found.rows.slice(0, PAGE),
          next: found.rows.length > PAGE ? (found.rows[PAGE - 1] as LogRow).id : null,
          cut: found.cut,
        }
      : searchLogs(db, filter, question.before, PAGE);

  const bars = new Map<number, Partial<Record<LogLevel, number>>>();
  const levels = new Map<LogLevel, number>();
  const components = new Map<
    string,
    { componentId: number | null; name: string; kind: string | null; count: number }
  >();
  const patterns = new Map<number, { count: number; sparks: number[]; worst: number; senders: Map<string, number> }>();
  let total = 0;
  for (const one of counted) {
    if (
      !found &&
      (one.severity < filter.leastSeverity ||
        !(resourceIds?.has(one.resourceId) ?? true) ||
        !(patternIds?.has(one.patternId) ?? true))
    )
      continue;
    const atMs = Math.max(one.atMs, fromMs);
    total += one.count;
    const level = logLevel(one.severity);
    const start = Math.floor(atMs / stepMs) * stepMs;
    const bar = bars.get(start) ?? {};
    bar[level] = (bar[level] ?? 0) + one.count;
    bars.set(start, bar);
    levels.set(level, (levels.get(level) ?? 0) + one.count);
    const sender = known.get(one.resourceId);
    const name = sender?.name ?? "unnamed sender";
    const component = components.get(name) ?? {
      componentId: sender?.componentId ?? null,
      name,
      kind: sender?.kind ?? null,
      count: 0,
    };
    component.count += one.count;
    components.set(name, component);
    const pattern = patterns.get(one.patternId) ?? {
      count: 0,
      sparks: Array.from({ length: SPARKS }, () => 0),
      worst: 0,
      senders: new Map<string, number>(),
    };
    pattern.count += one.count;
    pattern.worst = Math.max(pattern.worst, one.severity);
    const spark = Math.min(
      SPARKS - 1,
      Math.max(0, Math.floor(((atMs - fromMs) / Math.max(1, toMs - fromMs)) * SPARKS)),
    );
    pattern.sparks[spark] = (pattern.sparks[spark] as number) + one.count;
    pattern.senders.set(name, (pattern.senders.get(name) ?? 0) + one.count);
    patterns.set(one.patternId, pattern);
  }
  const best = [...patterns].sort((a, b) => b[1].count - a[1].count);
  const isKnown = isOld(best.map(([id]) => id));
  const fresh = best.filter(([id]) => !isKnown(id));
  const shown = [...new Set([...fresh.slice(0, 100), ...best.slice(0, 100)])];
  const texts = new Map(
    patternsOf(db, [...shown.map(([id]) => id), ...page.rows.map((row) => row.pattern_id)]).map((row) => [row.id, row]),
  );
  return {
    rows: page.rows.map((row) => describe(row, known.get(row.resource_id))),
    next: page.next,
    /** The search ended early because it took too long. */
    cut: page.cut || (found?.cut ?? false),
    total,
    /** More were found than are counted. */
    more: found !== undefined && found.next !== null,
    kept: logCount(db),
    stepMs,
    bars: [...bars].sort((a, b) => a[0] - b[0]).map(([atMs, counts]) => ({ atMs, counts })),
    levels: LOG_LEVELS.map(({ level, least }) => ({ level, least, count: levels.get(level) ?? 0 })),
    components: [...components.values()].sort((a, b) => b.count - a.count).slice(0, 14),
    componentCount: components.size,
    patterns: shown.map(([id, one]) => {
      const row = texts.get(id);
      return {
        id,
        text: row?.text ?? "",
        count: one.count,
        sparks: one.sparks,
        level: logLevel(one.worst),
        isNew: !isKnown(id),
        firstMs: row?.first_at ?? 0,
        lastMs: row?.last_at ?? 0,
        senders: [...one.senders].sort((a, b) => b[1] - a[1]).map(([name]) => name),
      };
    }),
    patternCount: patterns.size,
    newPatterns: fresh.length,
    component: question.component === null ? null : (componentById(db, question.component)?.name ?? null),
    service: listServices(db).find((one) => one.uid === question.service)?.name ?? null,
    pattern: question.pattern === null ? null : (patternsOf(db, [question.pattern])[0]?.text ?? null),
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
