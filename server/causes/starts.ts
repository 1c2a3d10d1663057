import type { SaidEvidence } from "#core/correlation/reasons";
import { MINUTE_MS } from "#core/time/windows";
import { changesOf } from "../store/changes";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { componentOfNode } from "./harm-map";

/** A start so long before the first of the trouble belongs to it. */
const BEFORE_MS = 2 * MINUTE_MS;
/** A start so soon after somebody did something there comes of that. */
const DONE_MS = 5 * MINUTE_MS;
const DOING: ReadonlySet<string> = new Set(["runbook", "deployment", "change", "work"]);
const MOST_CHANGES = 500;
/** One start may be anything; beside an alarm. */
const STRENGTH = 0.4;

/**
 * Evidence that a process ended by itself: it was started anew just before or in the trouble, and nobody did anything there.
 * A program that is started again and again raises an alarm only after the third time.
 * @param candidates nodes that may be the cause
 */
export function startsOf(
  db: Db,
  candidates: readonly string[],
  known: ReadonlySet<string>,
  firstMs: number,
  untilMs: number,
): (SaidEvidence & { alarms: number[] })[] {
  const processes = new Map(
    candidates.flatMap((node) => {
      const id = componentOfNode(node);
      const row = id === undefined ? undefined : componentById(db, id);
      return row?.process && row.host_id !== null && !known.has(`${node} crash`)
        ? [[row.id, { node, row }] as const]
        : [];
    }),
  );
  if (processes.size === 0) return [];
  const hosts = [...processes.values()].map(({ row }) => row.host_id as number);
  const all = changesOf(db, [...processes.keys(), ...hosts], firstMs - BEFORE_MS - DONE_MS, untilMs, MOST_CHANGES);
  const isDone = (ids: readonly (number | null)[], atMs: number) =>
    all.some(
      (one) =>
        ids.includes(one.component_id) &&
        one.at <= atMs + MINUTE_MS &&
        one.at >= atMs - DONE_MS &&
        (DOING.has(one.kind) || (one.kind === "restart" && one.component_id === ids[1])),
    );
  const pieces = new Map<string, SaidEvidence & { alarms: number[] }>();
  for (const { kind, component_id: id, at } of [...all].sort((a, b) => a.at - b.at)) {
    const of = kind === "restart" && id !== null && at >= firstMs - BEFORE_MS ? processes.get(id) : undefined;
    if (!of || pieces.has(of.node) || isDone([of.row.id, of.row.host_id], at)) continue;
    pieces.set(of.node, {
      node: of.node,
      nature: "crash",
      strength: STRENGTH,
      onsetMs: at,
      isWeak: true,
      name: of.row.name,
      symptom: "it was started anew",
      alarms: [],
    });
  }
  return [...pieces.values()];
}
