import { MINUTE_MS, WEEK_MS, DAY_MS } from "#core/time/windows";
import { callBuckets, callFigures, type CallFigures } from "../store/call-figures";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, shownAddresses, type ComponentRow } from "../store/estate";
import { relationById } from "../store/relations";
import { resourcesOf } from "../store/resources";
import { healthAt } from "../store/services";
import { operationsOf, spansOfOperation, type SpanRow } from "../store/spans";

/** Bars across the drawings of a relation. */
const BUCKETS = 60;
/** Failed calls that are looked at; more of the same say nothing new. */
const MOST_FAILED = 400;
const MOST_SAMPLES = 3;
const CLIENT = 3;

export interface RelationQuestion {
  id: number;
  atMs: number;
  fromMs: number;
  toMs: number;
}

const figuresOf = (figures: CallFigures, minutes: number) => ({
  perMinute: figures.calls / minutes,
  calls: figures.calls,
  failed: figures.failed,
  p50Ms: figures.sketch.quantile(0.5) / 1000,
  p95Ms: figures.sketch.quantile(0.95) / 1000,
});

/** One relation with its evidence, and what its calls did against the same time before. */
export function relationPage(db: Db, { id, atMs, fromMs, toMs }: RelationQuestion) {
  const relation = relationById(db, id);
  const from = relation && componentById(db, relation.from_id);
  const to = relation && componentById(db, relation.to_id);
  if (!relation || !from || !to) return null;
  const health = healthAt(db, "component", atMs);
  const callers = resourcesOf(db, from.id);
  const called = resourcesOf(db, to.id);
  const minutes = Math.max(1, (toMs - fromMs) / MINUTE_MS);
  const figures = callFigures(db, callers, called, fromMs, toMs);
  const usual = usualOf(db, callers, called, fromMs, toMs);
  const end = (row: ComponentRow) => ({
    id: row.id,
    name: row.name,
    kind: row.kind,
    severity: health.get(row.id)?.severity ?? ("cleared" as const),
    reason: health.get(row.id)?.reason ?? "",
  });
  return {
    relation,
    from: end(from),
    to: end(to),
    figures: figures ? figuresOf(figures, minutes) : null,
    usual: usual ? { ...figuresOf(usual.figures, minutes), when: usual.when } : null,
    buckets: figures ? callBuckets(db, callers, called, fromMs, toMs, BUCKETS) : [],
    errors: errorsOf(db, callers, to, fromMs, toMs),
    changes: changesOf(
      db,
      [from.id, to.id, from.host_id, to.host_id].flatMap((one) => one ?? []),
      fromMs,
      toMs,
      30,
    ),
  };
}

/** The same calls at the same time a week before, else a day before. */
function usualOf(db: Db, callers: readonly number[], called: readonly number[], fromMs: number, toMs: number) {
  for (const [back, when] of [
    [WEEK_MS, "a week before"],
    [DAY_MS, "a day before"],
  ] as const) {
    const figures = callFigures(db, callers, called, fromMs - back, toMs - back);
    if (figures) return { figures, when };
  }
  return undefined;
}

interface Detail {
  attributes?: Record<string, unknown>;
  message?: string;
}

const detailOf = (span: SpanRow): Detail => (span.detail ? (JSON.parse(span.detail) as Detail) : {});

/**
 * Failed calls of the one end that were meant for the other, by what they say: told by where the caller says it called
 * (`server.address`, `server.port`, `peer.service`), so that those that never arrived count too.
 */
function errorsOf(
  db: Db,
  callers: readonly number[],
  to: ComponentRow,
  fromMs: number,
  toMs: number,
): { text: string; count: number; lastMs: number; traces: string[] }[] {
  const host = to.host_id === null ? to : (componentById(db, to.host_id) ?? to);
  const names = new Set(
    [host.address, host.name, ...shownAddresses(db, host.id), to.process, to.label].flatMap((one) => one ?? []),
  );
  const isMeant = ({ attributes = {} }: Detail): boolean => {
    const port = attributes["server.port"];
    if (port !== undefined && to.port !== null && Number(port) !== to.port) return false;
    const peer = attributes["peer.service"];
    if (peer !== undefined && to.process !== null && String(peer) !== to.process) return false;
    const address = attributes["server.address"];
    return address === undefined ? peer !== undefined && names.has(String(peer)) : names.has(String(address));
  };
  const kinds = new Map<string, { count: number; lastMs: number; traces: string[] }>();
  const operations = operationsOf(db, callers).filter((one) => one.kind === CLIENT);
  let left = MOST_FAILED;
  for (const { id } of operations) {
    if (left <= 0) break;
    for (const span of spansOfOperation(db, id, fromMs, toMs, 0, Number.MAX_SAFE_INTEGER, true, left)) {
      const detail = detailOf(span);
      if (!isMeant(detail)) continue;
      left--;
      const text = detail.message || statusOf(detail) || "failed without a message";
      const kind = kinds.get(text) ?? { count: 0, lastMs: 0, traces: [] };
      kinds.set(text, kind);
      kind.count++;
      kind.lastMs = Math.max(kind.lastMs, span.start_us / 1000);
      const trace = Buffer.from(span.trace_id).toString("hex");
      if (kind.traces.length < MOST_SAMPLES && !kind.traces.includes(trace)) kind.traces.push(trace);
    }
  }
  return [...kinds].map(([text, kind]) => ({ text, ...kind })).sort((a, b) => b.count - a.count);
}

const statusOf = ({ attributes = {} }: Detail): string => {
  const status = attributes["http.response.status_code"] ?? attributes["rpc.grpc.status_code"];
  return status === undefined ? "" : `answered ${String(status)}`;
};
