import { MINUTE_MS, WEEK_MS, DAY_MS } from "#core/time/windows";
import { Sketch } from "#core/telemetry/sketch";
import { callBuckets, callFigures, type CallBucket, type CallFigures } from "../store/call-figures";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById, shownAddresses, type ComponentRow } from "../store/estate";
import { relationById } from "../store/relations";
import { resourcesOf } from "../store/resources";
import { healthAt } from "../store/services";
import { wireOf } from "./wire";
import { MAKING, operationsOf, spansOfOperation, type SpanRow } from "../store/spans";

/** Bars across the drawings of a relation. */
const BUCKETS = 60;
/** Calls that are read of the caller's own, the latest. */
const MOST_READ = 4000;
/** Spans that are looked at for that over all operations, and at least of each. */
const MOST_LOOKED_AT = 20_000;
const LEAST_READ = 100;
const MOST_SAMPLES = 3;

export interface RelationQuestion {
  id: number;
  atMs: number;
  fromMs: number;
  toMs: number;
}

interface Figures {
  perMinute: number;
  calls: number;
  failed: number;
  p50Ms: number;
  p95Ms: number;
}

const figuresOf = (figures: CallFigures, minutes: number): Figures => ({
  perMinute: figures.calls / minutes,
  calls: figures.calls,
  failed: figures.failed,
  p50Ms: figures.sketch.quantile(0.5) / 1000,
  p95Ms: figures.sketch.quantile(0.95) / 1000,
});

/** Both ends of a relation, as spans know them. */
interface Ends {
  callers: readonly number[];
  called: readonly number[];
  to: ComponentRow;
}

/** One relation with its evidence, and what its calls did against the same time before. */
export function relationPage(db: Db, { id, atMs, fromMs, toMs }: RelationQuestion) {
  const relation = relationById(db, id);
  const from = relation && componentById(db, relation.from_id);
  const to = relation && componentById(db, relation.to_id);
  if (!relation || !from || !to) return null;
  const health = healthAt(db, "component", atMs);
  const ends: Ends = { callers: resourcesOf(db, from.id), called: resourcesOf(db, to.id), to };
  const own = meantFor(db, ends, fromMs, toMs);
  const measured = callsIn(db, ends, fromMs, toMs, own);
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
    figures: measured?.figures ?? null,
    /** Which end the figures are of. */
    side: measured?.side ?? null,
    usual: measured ? usualOf(db, ends, fromMs, toMs) : null,
    buckets: measured?.buckets ?? [],
    errors: errorsOf(own.calls),
    wire: wireOf(db, relation, { fromMs, toMs, atMs }),
    changes: changesOf(
      db,
      [from.id, to.id, from.host_id, to.host_id].flatMap((one) => one ?? []),
      fromMs,
      toMs,
      30,
    ),
  };
}

/** What the called end answered, or, where it sends no spans, what its caller measured. */
export function callsIn(db: Db, ends: Ends, fromMs: number, toMs: number, own = meantFor(db, ends, fromMs, toMs)) {
  const minutes = Math.max(1, (toMs - fromMs) / MINUTE_MS);
  const answered = callFigures(db, ends.callers, ends.called, fromMs, toMs);
  if (answered)
    return {
      side: "called" as const,
      figures: figuresOf(answered, minutes),
      buckets: callBuckets(db, ends.callers, ends.called, fromMs, toMs, BUCKETS),
    };
  const [first] = own.calls;
  if (!first) return undefined;
  // Of very many calls the latest were read: they tell how many there are in the time that they cover.
  const covered = own.isCut ? Math.max(1, (toMs - first.startMs) / MINUTE_MS) : minutes;
  return { side: "caller" as const, figures: sumOf(own.calls, covered), buckets: bucketsOf(own.calls, fromMs, toMs) };
}

function sumOf(calls: readonly OwnCall[], minutes: number): Figures {
  const sketch = new Sketch();
  for (const { durationUs } of calls) sketch.add(durationUs);
  return {
    perMinute: calls.length / minutes,
    calls: calls.length,
    failed: calls.filter((one) => one.failed).length,
    p50Ms: sketch.quantile(0.5) / 1000,
    p95Ms: sketch.quantile(0.95) / 1000,
  };
}

function bucketsOf(calls: readonly OwnCall[], fromMs: number, toMs: number): CallBucket[] {
  const step = Math.max(MINUTE_MS, Math.ceil((toMs - fromMs) / BUCKETS / MINUTE_MS) * MINUTE_MS);
  const parts = new Map<number, OwnCall[]>();
  for (const call of calls) {
    const at = Math.floor(call.startMs / step) * step;
    const part = parts.get(at);
    if (part) part.push(call);
    else parts.set(at, [call]);
  }
  return [...parts]
    .map(([atMs, part]) => {
      const { failed, p95Ms } = sumOf(part, 1);
      return { atMs, calls: part.length, failed, p95Us: p95Ms * 1000 };
    })
    .sort((a, b) => a.atMs - b.atMs);
}

/** The same calls at the same time a week before, else a day before. */
function usualOf(db: Db, ends: Ends, fromMs: number, toMs: number): (Figures & { when: string }) | null {
  for (const [back, when] of [
    [WEEK_MS, "a week before"],
    [DAY_MS, "a day before"],
  ] as const) {
    const before = callsIn(db, ends, fromMs - back, toMs - back);
    if (before) return { ...before.figures, when };
  }
  return null;
}

interface Detail {
  attributes?: Record<string, unknown>;
  message?: string;
}

const detailOf = (span: SpanRow): Detail => (span.detail ? (JSON.parse(span.detail) as Detail) : {});

/** The oldest first. */
interface OwnCalls {
  calls: OwnCall[];
  /** There were more: only the latest were read. */
  isCut: boolean;
}

/** A call of the one end as its caller saw it. */
interface OwnCall {
  startMs: number;
  durationUs: number;
  failed: boolean;
  text: string;
  trace: string;
}

/**
 * Calls of the one end that were meant for the other, the oldest first: told by where the caller says it called
 * (`server.address`, `server.port`, `peer.service`), so that those that never arrived count too.
 */
function meantFor(db: Db, { callers, to }: Ends, fromMs: number, toMs: number): OwnCalls {
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
  const calls: OwnCall[] = [];
  let isCut = false;
  const operations = operationsOf(db, callers).filter((one) => MAKING.has(one.kind));
  // A caller of very many operations is read in part, so that one page cannot hold up the others.
  const most = Math.min(MOST_READ, Math.max(LEAST_READ, Math.floor(MOST_LOOKED_AT / Math.max(1, operations.length))));
  for (const { id } of operations.slice(0, MOST_LOOKED_AT / LEAST_READ)) {
    const spans = spansOfOperation(db, id, fromMs, toMs, 0, Number.MAX_SAFE_INTEGER, false, most);
    isCut ||= spans.length === most;
    for (const span of spans) {
      const detail = detailOf(span);
      if (!isMeant(detail)) continue;
      const failed = span.status === 2;
      calls.push({
        startMs: span.start_us / 1000,
        durationUs: span.duration_us,
        failed,
        text: failed ? detail.message || statusOf(detail) || "failed without a message" : "",
        trace: Buffer.from(span.trace_id).toString("hex"),
      });
    }
  }
  isCut ||= calls.length > MOST_READ;
  return { calls: calls.sort((a, b) => a.startMs - b.startMs).slice(-MOST_READ), isCut };
}

/** Failed calls by what they say, the most first, with a few of their traces. */
function errorsOf(calls: readonly OwnCall[]): { text: string; count: number; lastMs: number; traces: string[] }[] {
  const kinds = new Map<string, { count: number; lastMs: number; traces: string[] }>();
  for (const { failed, text, startMs, trace } of calls.toReversed()) {
    if (!failed) continue;
    const kind = kinds.get(text) ?? { count: 0, lastMs: startMs, traces: [] };
    kinds.set(text, kind);
    kind.count++;
    if (kind.traces.length < MOST_SAMPLES && !kind.traces.includes(trace)) kind.traces.push(trace);
  }
  return [...kinds].map(([text, kind]) => ({ text, ...kind })).sort((a, b) => b.count - a.count);
}

const statusOf = ({ attributes = {} }: Detail): string => {
  const status = attributes["http.response.status_code"] ?? attributes["rpc.grpc.status_code"];
  return status === undefined ? "" : `answered ${String(status)}`;
};
