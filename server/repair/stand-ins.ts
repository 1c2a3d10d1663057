import { patternOfName } from "#core/topology/application";
import type { Db } from "../store/database";
import { currentComponents, type ComponentRow } from "../store/estate";
import { membersAt } from "../store/services";

/**
 * What stands in for a component: the same program of the same kind in one of the same services; for a host, hosts that
 * carry one of its programs in the same services, or that are named alike at the same site where it carries none.
 */
export function standIns(db: Db, target: ComponentRow, nowMs: number): ComponentRow[] {
  const all = currentComponents(db);
  const services = new Map<number, Set<number>>();
  for (const { service_id, component_id } of membersAt(db, nowMs)) {
    const own = services.get(component_id) ?? new Set();
    services.set(component_id, own.add(service_id));
  }
  const isBeside = (one: ComponentRow, other: ComponentRow) =>
    [...(services.get(one.id) ?? [])].some((id) => services.get(other.id)?.has(id));
  const sameProgram = (one: ComponentRow) =>
    all.filter(
      (other) =>
        other.id !== one.id &&
        other.host_id !== one.host_id &&
        other.kind === one.kind &&
        one.process !== null &&
        other.process === one.process &&
        isBeside(one, other),
    );
  if (target.process !== null) return sameProgram(target);
  const parts = all.filter((one) => one.host_id === target.id && one.process !== null);
  const hosts = new Set(parts.flatMap(sameProgram).map((one) => one.host_id));
  if (hosts.size > 0) return all.filter((one) => hosts.has(one.id));
  return parts.length > 0
    ? []
    : all.filter(
        (one) =>
          one.id !== target.id &&
          one.kind === target.kind &&
          one.site === target.site &&
          patternOfName(one.name) === patternOfName(target.name),
      );
}
