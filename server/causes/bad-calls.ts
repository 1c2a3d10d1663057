import type { SaidEvidence } from "#core/correlation/reasons";
import { shareAtLeast } from "#core/stats/tails";
import { MINUTE_MS } from "#core/time/windows";
import type { AlarmRow } from "../store/alarms";
import { operationFigures } from "../store/call-figures";
import { componentById } from "../store/estate";
import type { Db } from "../store/database";
import { resourcesOf } from "../store/resources";
import {
  ANSWERING,
  MAKING,
  operationsNamed,
  operationsOf,
  spansOfOperation,
  spansOfTrace,
  type SpanRow,
} from "../store/spans";
import { componentNode } from "./harm-map";
import { calleeOf, peersOf } from "./peers";

const FAILED = 2;
/** Of so many that answer badly it is looked at what they ask others: of each so many operations, and the last bad answers. */
const MOST_ASKING = 8;
const MOST_OPERATIONS = 12;
const MOST_ANSWERS = 12;
const MOST_CALLS = 60;
/** A trace may be as long as its sender likes: so much of it is read. */
const MOST_SPANS = 300;
/** Others ask the same, on so many senders. */
const MOST_OTHERS = 12;
/** So many calls of others that went well show that whom they went to is well. */
const ENOUGH_WELL = 3;
/** Of those, so many may take longer than usual. */
const SLOW_ANYWAY = 0.25;
/** Calls to one of them that took so much of a slow answer made it slow. */
const MOST_OF_IT = 0.6;
/** What is slow took longer than this share of the calls of the hour before; where so many are known. */
const SLOW = 0.95;
const PAST_MS = 60 * MINUTE_MS;
const LEAST_KNOWN = 60;
/** Where one of them is behind fewer of the bad answers than this, it is not what is wrong. */
const LEAST_SHARE = 0.5;
/** How sure it is, beside an alarm, where one is behind all bad answers: it may be one trace alone. */
const STRENGTH = 0.6;
/** Answers are worse than before where so many would be bad by chance less often than this; those of a moment are alike. */
const BY_CHANCE = 1e-4;
const ALIKE = 0.02;
const LEAST_FAILING = 0.002;

type Alarm = Pick<AlarmRow, "subject_type" | "subject_id" | "subject" | "metric" | "qualifier" | "onset_at">;

interface Asked {
  db: Db;
  isSlow: boolean;
  fromMs: number;
  untilMs: number;
}

/**
 * Evidence against whom those call that answer badly, where in most of the bad answers that are traced the calls to that
 * one failed, or took most of the time: it tells of it before there are enough calls for an alarm. Not where others are
 * answered well, and not where it goes badly whoever is called, for then it is they.
 */
export function badCallsOf(db: Db, alarms: readonly Alarm[], untilMs: number): (SaidEvidence & { alarms: number[] })[] {
  const asking = new Map<string, Alarm>();
  for (const alarm of alarms) {
    const { subject_type, subject_id, metric, qualifier } = alarm;
    const key = `${subject_id} ${metric}`;
    if (subject_type === "component" && isOfCalls(metric) && !qualifier.startsWith("to ") && !asking.has(key))
      asking.set(key, alarm);
  }
  return [...asking.values()].slice(0, MOST_ASKING).flatMap((alarm) => {
    const isSlow = alarm.metric === "calls.slow";
    const behind = peersBehind(alarm.subject_id, { db, isSlow, fromMs: alarm.onset_at - MINUTE_MS, untilMs });
    const labels = new Set(behind.map(({ id }) => componentById(db, id)?.label ?? String(id)));
    if (labels.size !== 1) return [];
    return behind.map(({ id, share }) => ({
      node: componentNode(id),
      nature: isSlow ? ("slow" as const) : ("failing" as const),
      strength: STRENGTH * share,
      onsetMs: alarm.onset_at,
      isWeak: true,
      name: componentById(db, id)?.name ?? "",
      symptom: isSlow ? "calls to it take long" : "calls to it fail",
      calledBy: alarm.subject,
      alarms: [],
    }));
  });
}

const isOfCalls = (metric: string) => metric === "calls.failing" || metric === "calls.slow";

/** Those who are behind most of a component's bad answers, as their share of them. */
function peersBehind(componentId: number, asked: Asked): { id: number; share: number }[] {
  const { db } = asked;
  const resources = resourcesOf(db, componentId);
  const operations = operationsOf(db, resources);
  const answering = operations.filter((one) => ANSWERING.has(one.kind)).slice(0, MOST_OPERATIONS);
  const answers = answering
    .flatMap((one) => badAnswers(one.id, asked))
    .sort((a, b) => b.start_us - a.start_us)
    .slice(0, MOST_ANSWERS);
  if (answers.length === 0) return [];
  const makes = new Map(operations.flatMap((one) => (MAKING.has(one.kind) ? [[one.id, one.name] as const] : [])));
  const behind = new Map<number, { times: number; names: Set<string> }>();
  for (const answer of answers)
    for (const [id, names] of calleesBehind(answer, makes, asked)) {
      const known = behind.get(id) ?? { times: 0, names: new Set<string>() };
      behind.set(id, known);
      known.times++;
      for (const name of names) known.names.add(name);
    }
  return [...behind].flatMap(([id, { times, names }]) => {
    const share = times / answers.length;
    const isIt = share >= LEAST_SHARE && ![...names].some((name) => isWellForOthers(name, id, resources, asked));
    return isIt ? [{ id, share }] : [];
  });
}

/** Calls of an operation that failed, or took longer than nearly all in the hour before. */
function badAnswers(operationId: number, { db, isSlow, fromMs, untilMs }: Asked): SpanRow[] {
  const leastUs = isSlow ? usualLimit(db, operationId, fromMs) : 0;
  if (leastUs === undefined) return [];
  return spansOfOperation(db, operationId, fromMs, untilMs, leastUs, Number.MAX_SAFE_INTEGER, !isSlow, MOST_ANSWERS);
}

/**
 * Whether a component answers worse in a stretch than in the hour before it: more of its calls fail, or take longer than
 * nearly all did, than come by chance.
 */
export function answersWorse(db: Db, componentId: number, isSlow: boolean, fromMs: number, untilMs: number): boolean {
  const ids = operationsOf(db, resourcesOf(db, componentId)).flatMap((one) =>
    ANSWERING.has(one.kind) ? [one.id] : [],
  );
  const few = ids.slice(0, MOST_OPERATIONS);
  const before = operationFigures(db, few, fromMs - PAST_MS, fromMs);
  return [...operationFigures(db, few, fromMs, untilMs)].some(([id, now]) => {
    const usual = before.get(id);
    if (!usual || usual.calls < LEAST_KNOWN) return false;
    const bad = isSlow ? now.calls - now.sketch.atMost(usual.sketch.quantile(SLOW)) : now.failed;
    const share = isSlow ? 1 - SLOW : Math.max(LEAST_FAILING, usual.failed / usual.calls);
    return shareAtLeast(Math.round(bad), now.calls, share, ALIKE) < BY_CHANCE;
  });
}

function usualLimit(db: Db, operationId: number, beforeMs: number): number | undefined {
  const usual = operationFigures(db, [operationId], beforeMs - PAST_MS, beforeMs).get(operationId);
  return usual && usual.calls >= LEAST_KNOWN ? usual.sketch.quantile(SLOW) : undefined;
}

/** To whom the calls that were made for a bad answer went badly, with the names of those calls. */
function calleesBehind(
  answer: SpanRow,
  makes: ReadonlyMap<number, string>,
  { db, isSlow }: Asked,
): Map<number, Set<string>> {
  const took = new Map<number, { us: number; names: Set<string> }>();
  let calls = 0;
  for (const span of spansOfTrace(db, Buffer.from(answer.trace_id).toString("hex"), MOST_SPANS)) {
    const name = makes.get(span.operation_id);
    if (name === undefined || span.start_us < answer.start_us || span.start_us > answer.start_us + answer.duration_us)
      continue;
    if (!isSlow && span.status !== FAILED) continue;
    if (++calls > MOST_CALLS) break;
    const callee = calleeOf(db, span.detail);
    if (!callee) continue;
    const known = took.get(callee.id) ?? { us: 0, names: new Set<string>() };
    took.set(callee.id, known);
    known.us += span.duration_us;
    known.names.add(name);
  }
  return new Map(
    [...took].flatMap(([id, { us, names }]) =>
      !isSlow || us >= MOST_OF_IT * answer.duration_us ? [[id, names] as const] : [],
    ),
  );
}

/** Whether others ask the same of it, and it goes well for them. */
function isWellForOthers(
  name: string,
  componentId: number,
  own: readonly number[],
  { db, isSlow, fromMs, untilMs }: Asked,
): boolean {
  let [calls, bad] = [0, 0];
  for (const other of operationsNamed(db, name, MOST_OTHERS + own.length)) {
    if (!MAKING.has(other.kind) || own.includes(other.resource_id)) continue;
    const limitUs = isSlow ? usualLimit(db, other.id, fromMs) : Number.POSITIVE_INFINITY;
    if (limitUs === undefined) continue;
    for (const peer of peersOf(db, other.id, fromMs, untilMs, limitUs, MOST_CALLS)) {
      if (peer.componentId !== componentId) continue;
      calls += peer.calls;
      bad += peer.bad;
    }
  }
  return calls >= ENOUGH_WELL && bad <= (isSlow ? SLOW_ANYWAY * calls : 0);
}
