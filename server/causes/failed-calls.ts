import type { SaidEvidence } from "#core/correlation/reasons";
import { MINUTE_MS } from "#core/time/windows";
import type { AlarmRow } from "../store/alarms";
import { componentById } from "../store/estate";
import type { Db } from "../store/database";
import { resourcesOf } from "../store/resources";
import { operationsNamed, operationsOf, spansOfOperation } from "../store/spans";
import { componentNode } from "./harm-map";
import { peersOf, type Peer } from "./peers";

/** Span kinds of OpenTelemetry: who answers, and who makes a call. */
const ANSWERING: ReadonlySet<number> = new Set([2, 5]);
const MAKING: ReadonlySet<number> = new Set([3, 4]);
/** Of so many that answer badly it is looked at what they ask others; of each so many operations and calls. */
const MOST_ASKING = 8;
const MOST_OPERATIONS = 12;
const MOST_CALLS = 60;
/** Others ask the same, on so many senders. */
const MOST_OTHERS = 12;
/** So many calls of others that went well show that whom they went to is well. */
const ENOUGH_WELL = 3;
/** Where calls to one of them failed in fewer of the failures, that one is not behind them. */
const LEAST_SHARE = 0.5;
/** How sure it is, beside an alarm, where a call to it failed in each of the failures: it may be one trace alone. */
const STRENGTH = 0.6;

type Alarm = Pick<AlarmRow, "subject_type" | "subject_id" | "subject" | "metric" | "qualifier" | "onset_at">;

/**
 * Evidence against whom those call that answer with failures, where in most of the failures that are traced a call to that
 * one failed: it tells of it before there are enough calls for an alarm. Not where the same is answered to others, and not
 * where it fails whoever they call, for then it is they.
 */
export function failedCallsOf(
  db: Db,
  alarms: readonly Alarm[],
  untilMs: number,
): (SaidEvidence & { alarms: number[] })[] {
  const asking = new Map<number, Alarm>();
  for (const alarm of alarms)
    if (alarm.subject_type === "component" && alarm.metric === "calls.failing" && !alarm.qualifier.startsWith("to "))
      if (!asking.has(alarm.subject_id)) asking.set(alarm.subject_id, alarm);
  return [...asking.values()].slice(0, MOST_ASKING).flatMap((alarm) => {
    const behind = peersBehind(db, alarm, untilMs);
    const labels = new Set(behind.map(({ peer }) => componentById(db, peer.componentId)?.label ?? peer.name));
    if (labels.size !== 1) return [];
    return behind.map(({ peer, share }) => ({
      node: componentNode(peer.componentId),
      nature: "failing" as const,
      strength: STRENGTH * share,
      onsetMs: alarm.onset_at,
      isWeak: true,
      name: peer.name,
      symptom: "calls to it fail",
      calledBy: alarm.subject,
      alarms: [],
    }));
  });
}

/** Those to whom calls failed in most of a component's failures, and to nobody else. */
function peersBehind(
  db: Db,
  { subject_id, onset_at }: Alarm,
  untilMs: number,
): { peer: Peer; /** Of the failures. */ share: number }[] {
  const fromMs = onset_at - MINUTE_MS;
  const resources = resourcesOf(db, subject_id);
  const operations = operationsOf(db, resources);
  let failures = 0;
  for (const { id } of operations.filter((one) => ANSWERING.has(one.kind)).slice(0, MOST_OPERATIONS))
    failures += spansOfOperation(db, id, fromMs, untilMs, 0, Number.MAX_SAFE_INTEGER, true, MOST_CALLS).length;
  if (failures === 0) return [];
  const peers = new Map<number, Peer>();
  for (const { id, name } of operations.filter((one) => MAKING.has(one.kind)).slice(0, MOST_OPERATIONS))
    for (const peer of peersOf(db, id, fromMs, untilMs, Number.POSITIVE_INFINITY, MOST_CALLS)) {
      if (peer.bad === 0 || isWellForOthers(db, name, peer.componentId, resources, fromMs, untilMs)) continue;
      const known = peers.get(peer.componentId);
      peers.set(peer.componentId, known ? { ...known, bad: known.bad + peer.bad } : peer);
    }
  return [...peers.values()]
    .map((peer) => ({ peer, share: Math.min(1, peer.bad / failures) }))
    .filter(({ share }) => share >= LEAST_SHARE);
}

function isWellForOthers(
  db: Db,
  name: string,
  componentId: number,
  own: readonly number[],
  fromMs: number,
  untilMs: number,
): boolean {
  let well = 0;
  for (const other of operationsNamed(db, name, MOST_OTHERS + own.length)) {
    if (!MAKING.has(other.kind) || own.includes(other.resource_id)) continue;
    for (const peer of peersOf(db, other.id, fromMs, untilMs, Number.POSITIVE_INFINITY, MOST_CALLS)) {
      if (peer.componentId !== componentId) continue;
      if (peer.bad > 0) return false;
      well += peer.calls;
    }
  }
  return well >= ENOUGH_WELL;
}
