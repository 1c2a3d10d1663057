import type { Place } from "#core/repair/steps/step";
import { activeAlarms } from "../store/alarms";
import type { Db } from "../store/database";
import { componentById, currentComponents, type ComponentRow } from "../store/estate";
import { targetsOf } from "../store/relations";

/** Components that do not answer polls at present. */
export const silentComponents = (db: Db): Set<number> =>
  new Set(
    activeAlarms(db).flatMap((alarm) =>
      alarm.metric === "reachable" && alarm.component_id !== null ? [alarm.component_id] : [],
    ),
  );

const hostOf = (db: Db, one: ComponentRow): ComponentRow =>
  one.host_id === null ? one : (componentById(db, one.host_id) ?? one);

/** Where a step acts: the target, or what connects or carries it. A sentence where there is no such thing. */
export function placeOf(db: Db, target: ComponentRow, place: Place, nowMs: number): ComponentRow | { problem: string } {
  if (place === "target") return target;
  const host = hostOf(db, target);
  const beside = (of: ComponentRow, type: "wired-to" | "hosted-by", kinds: string) =>
    targetsOf(db, [of.id], type, nowMs).flatMap((id) => {
      const one = componentById(db, id);
      return one && one.valid_to === null && one.kind.startsWith(kinds) ? [one] : [];
    });
  const silent = silentComponents(db);
  const answering = (found: readonly ComponentRow[]) => found.find((one) => !silent.has(one.id)) ?? found[0];
  if (place === "hypervisor")
    return (
      answering(beside(host, "hosted-by", "host.hypervisor")) ?? {
        problem: `It is not known which hypervisor ${host.name} runs on.`,
      }
    );
  if (place === "switch") {
    const wired = beside(host, "wired-to", "net.switch");
    // A virtual machine hangs on the switches of what carries it.
    const below = beside(host, "hosted-by", "host.hypervisor").flatMap((one) => beside(one, "wired-to", "net.switch"));
    return (
      answering(wired.length ? wired : below) ?? { problem: `It is not known which switch ${host.name} is wired to.` }
    );
  }
  const ofSite = currentComponents(db).filter(
    (one) => one.kind === "net.switch" && one.site === host.site && one.id !== host.id && !silent.has(one.id),
  );
  return ofSite[0] ?? { problem: `No other switch of ${host.site} responds.` };
}
