import type { SystemSighting } from "./sighting";

/**
 * What is known of a system once one more observer showed its tables. Who looked less deep adds only what the other
 * cannot see at all: neighbours on the wire, who it met there, what it is made of, virtual machines, where it stands.
 * @param fresh.shallow it looked less deep than who read the kept tables
 * @param fresh.sameReader it is who read the kept tables, so that what it no longer shows is gone
 */
export function mergedInventory(
  kept: SystemSighting | undefined,
  fresh: { system: SystemSighting; shallow: boolean; sameReader: boolean },
): SystemSighting {
  const { system, shallow, sameReader } = fresh;
  if (!kept || (!shallow && sameReader)) return system;
  const [main, other] = shallow ? [kept, system] : [system, kept];
  const { hypervisor, guests } = main.hypervisor ? main : other;
  return {
    ...main,
    sysObjectId: main.sysObjectId || other.sysObjectId,
    sysLocation: main.sysLocation || other.sysLocation,
    sysContact: main.sysContact || other.sysContact,
    neighbours: main.neighbours.length ? main.neighbours : other.neighbours,
    ...((main.met ?? other.met) ? { met: main.met ?? other.met } : {}),
    ...((main.bridge ?? other.bridge) ? { bridge: main.bridge ?? other.bridge } : {}),
    ...((main.entities ?? other.entities) ? { entities: main.entities ?? other.entities } : {}),
    addresses: [...new Set([...(main.addresses ?? []), ...(other.addresses ?? [])])].sort(),
    ...(hypervisor ? { hypervisor, guests: guests ?? [] } : {}),
  };
}
