import { troubledAmong, troubledReason, type OperationSeen } from "#core/correlation/troubled-operations";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { peersOf } from "../causes/peers";
import { operationFigures, type CallFigures } from "../store/call-figures";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { relationsOf } from "../store/relations";
import { resourcesOf, resourcesOfAll } from "../store/resources";
import { operationsOf } from "../store/spans";
import { isAnswer } from "./traces";

/** Operations go by how they went in the hour up to shortly before it began. */
const REST_MS = 5 * MINUTE_MS;
/** What is looked at from then on: what is mended later would thin it out. */
const LOOK_MS = 15 * MINUTE_MS;
const MOST_OPERATIONS = 30;
const CALLED = 3;
/** Calls of an operation by which it is told whom it calls. */
const READ = 20;

interface Named {
  id: number;
  name: string;
}

/**
 * What a component answers, by its own word; where it says nothing of its calls, as a database, what those that talk to
 * it ask of it.
 */
function askedOf(db: Db, componentId: number, fromMs: number, toMs: number): Named[] {
  const own = operationsOf(db, resourcesOf(db, componentId)).filter((one) => isAnswer(one.kind));
  if (own.length) return own.slice(0, MOST_OPERATIONS);
  const host = componentById(db, componentId)?.host_id;
  const places = new Set([componentId, ...(host === null || host === undefined ? [] : [host])]);
  const callers = relationsOf(db, places, toMs)
    .filter((one) => one.type === "talks-to" && places.has(one.to_id))
    .map((one) => one.from_id);
  const asked = operationsOf(db, resourcesOfAll(db, new Set(callers)).keys()).filter((one) => one.kind === CALLED);
  return asked
    .slice(0, MOST_OPERATIONS)
    .filter((one) => peersOf(db, one.id, fromMs, toMs, Infinity, READ).some((peer) => places.has(peer.componentId)));
}

/** In which of its operations alone a component is in trouble since an instant, as a reason; null where it is none or all. */
export function troubledOperations(db: Db, componentId: number, beganMs: number, seenUntilMs: number): string | null {
  const toMs = Math.min(seenUntilMs, beganMs + LOOK_MS);
  const usualTo = beganMs - REST_MS;
  const asked = askedOf(db, componentId, beganMs, toMs);
  if (asked.length < 2) return null;
  const ids = asked.map((one) => one.id);
  const now = operationFigures(db, ids, beganMs, toMs);
  const before = operationFigures(db, ids, usualTo - HOUR_MS, usualTo);
  // The same operation of several callers is one.
  const byName = new Map<string, OperationSeen>();
  for (const { id, name } of asked) {
    const [own, usual] = [now.get(id), before.get(id)];
    if (!own || !usual) continue;
    const limitUs = usual.sketch.quantile(0.99);
    const one = byName.get(name) ?? { name, calls: 0, bad: 0, usualCalls: 0, usualBad: 0 };
    one.calls += own.calls;
    one.bad += badOf(own, limitUs);
    one.usualCalls += usual.calls;
    one.usualBad += badOf(usual, limitUs);
    byName.set(name, one);
  }
  const found = troubledAmong([...byName.values()]);
  return found ? troubledReason(found) : null;
}

/** Calls that failed or took longer; those that did both count once where all that fail are slow. */
const badOf = ({ calls, failed, sketch }: CallFigures, limitUs: number): number =>
  Math.min(calls, Math.max(failed, calls - sketch.atMost(limitUs)));
