import { MINUTE_MS } from "#core/time/windows";
import type { Leads } from "#core/topology/ways-in";
import type { Db } from "../store/database";
import { resourcesOf } from "../store/resources";
import { ANSWERING, MAKING, operationById, operationsOf, spansOfOperation, spansOfTrace } from "../store/spans";
import { calleeOf } from "./peers";

/** Calls of each operation that are followed; they lead to the same from one to the next. */
const MOST_CALLS = 12;
const MOST_OPERATIONS = 60;
/** Spans that are read at the most, over all of them: a trace may be as long as its sender likes. */
const MOST_SPANS = 20_000;

/** Traces of the last while tell. */
const SPAN_MS = 30 * MINUTE_MS;

/** Whom the operations of a component call, by the traces of half an hour; undefined where there are none. */
export function leadsOf(db: Db, componentId: number, toMs: number): Leads | undefined {
  const fromMs = toMs - SPAN_MS;
  const senders = new Set(resourcesOf(db, componentId));
  const leads = new Map<string, Set<number>>();
  const known = new Map<number, ReturnType<typeof operationById>>();
  const operation = (id: number) => {
    if (!known.has(id)) known.set(id, operationById(db, id));
    return known.get(id);
  };
  let left = MOST_SPANS;
  const asked = operationsOf(db, senders).filter((one) => ANSWERING.has(one.kind));
  for (const { id, name } of asked.slice(0, MOST_OPERATIONS)) {
    const callees = leads.get(name) ?? new Set();
    for (const span of spansOfOperation(db, id, fromMs, toMs, 0, Number.MAX_SAFE_INTEGER, false, MOST_CALLS)) {
      if (left <= 0) break;
      leads.set(name, callees);
      const own = new Set([hex(span.span_id)]);
      // In the order they began: who calls comes before what it calls.
      for (const one of spansOfTrace(db, hex(span.trace_id))) {
        left--;
        const its = operation(one.operation_id);
        if (!its || !senders.has(its.resource_id) || one.parent_id === null || !own.has(hex(one.parent_id))) continue;
        own.add(hex(one.span_id));
        const callee = MAKING.has(its.kind) ? calleeOf(db, one.detail) : undefined;
        if (callee) callees.add(callee.id);
      }
    }
  }
  return leads.size > 0 ? leads : undefined;
}

const hex = (bytes: Uint8Array): string => Buffer.from(bytes).toString("hex");
