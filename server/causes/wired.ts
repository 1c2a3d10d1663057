import { isSamePort } from "#core/topology/wires";
import { natureOf } from "#core/correlation/harm";
import type { AlarmRow } from "../store/alarms";
import type { Db } from "../store/database";
import { componentById, type ComponentRow } from "../store/estate";
import { relationsTo } from "../store/relations";

export type OfAPort = Pick<AlarmRow, "subject_type" | "subject_id" | "metric" | "qualifier">;

/** The one component that is wired to the port that an alarm is about; undefined where there is none, or several. */
export type WiredTo = (alarm: OfAPort) => ComponentRow | undefined;

/**
 * Errors at a port are those of the wire that ends in it, and of what hangs on that: trouble of the whole switch shows at
 * many of its ports.
 */
export function wiredToPorts(db: Db, atMs: number): WiredTo {
  const known = new Map<number, ReturnType<typeof relationsTo>>();
  const wiresTo = (id: number) => {
    let wires = known.get(id);
    if (!wires) known.set(id, (wires = relationsTo(db, [id], atMs).filter((one) => one.type === "wired-to")));
    return wires;
  };
  return ({ subject_type, subject_id, metric, qualifier }) => {
    if (subject_type !== "component" || qualifier === "" || natureOf(metric) !== "network") return undefined;
    const [only, ...more] = wiresTo(subject_id).filter(({ detail }) => isSamePort(detail, qualifier));
    return only && more.length === 0 ? componentById(db, only.from_id) : undefined;
  };
}
