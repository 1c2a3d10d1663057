import type { Db } from "../store/database";
import { componentById, partsOfHost } from "../store/estate";
import { targetsOf } from "../store/relations";

/** A component with what carries it, its parts and its volumes: where its own trouble shows. */
export function neighbourhood(db: Db, componentId: number, nowMs: number): Set<number> {
  const one = componentById(db, componentId);
  const host = one?.host_id ?? componentId;
  const near = new Set([componentId, host, ...partsOfHost(db, host, nowMs).map((part) => part.id)]);
  for (const id of targetsOf(db, [host, componentId], "stored-on", nowMs)) near.add(id);
  for (const id of targetsOf(db, [componentId], "part-of", nowMs))
    if (componentById(db, id)?.kind === "app.workload") near.add(id);
  return near;
}
