import { matchConnections, type HostConnections } from "./connections";
import { guestKey, placeGuests, type PlacedGuest } from "./guests";
import type { KnownComponent } from "./known";
import type { ObservedRelation, Observation } from "./observation";
import { observeGuest } from "./recognise";
import type { SystemSighting } from "./sighting";

/** A host with what it showed last. */
export interface InventoriedHost {
  component: KnownComponent;
  inventory: SystemSighting;
  /** Seen in this look; others come with their last inventory. */
  seen: boolean;
}

/** Something to tell people of, besides changes. */
export interface Note {
  componentId: number;
  address: string;
  title: string;
  detail: string;
}

export interface PlacedMachine extends PlacedGuest {
  why: string;
  key: string;
}

/** Where virtual machines are, before those known from below only have an id. */
export interface Placement {
  machines: PlacedMachine[];
  observations: Map<PlacedMachine, Observation>;
}

/**
 * Which virtual machine is which host, and what hypervisors that were seen say of their machines. A machine that was
 * shut down and has left the estate is not brought back by being listed.
 */
export function deriveGuests(hosts: readonly InventoriedHost[], left: (key: string) => boolean): Placement {
  const byId = new Map(hosts.map((one) => [one.component.id, one]));
  const hypervisors = hosts
    .filter(({ inventory }) => inventory.guests?.length)
    .sort((a, b) => Number(b.seen) - Number(a.seen) || a.component.id - b.component.id);
  const machines = placeGuests(
    hypervisors.map(({ component, inventory }) => ({ id: component.id, guests: inventory.guests ?? [] })),
    hosts.map(({ component, inventory }) => ({
      id: component.id,
      name: inventory.sysName || component.name,
      interfaces: inventory.interfaces,
    })),
  ).map((placed): PlacedMachine => ({ ...placed, key: guestKey(placed.guest, placed.hypervisor) }));
  const observations = new Map<PlacedMachine, Observation>();
  for (const machine of machines) {
    const hypervisor = byId.get(machine.hypervisor);
    const host = machine.hostId === null ? undefined : byId.get(machine.hostId);
    if (
      !hypervisor ||
      (host === undefined && (!hypervisor.seen || (machine.guest.state !== "running" && left(machine.key))))
    )
      continue;
    observations.set(
      machine,
      observeGuest(
        machine.guest,
        machine.key,
        hypervisor.component.name,
        host && { id: host.component.id, why: machine.why },
      ),
    );
  }
  return { machines, observations };
}

/** Which machine is on which hypervisor, once each has an id. */
export function deriveHosting(
  placement: Placement,
  idOf: (machine: PlacedMachine) => number | undefined,
  nameOf: (id: number) => string,
): ObservedRelation[] {
  return placement.machines.flatMap((machine) => {
    const id = idOf(machine);
    if (id === undefined) return [];
    return {
      type: "hosted-by" as const,
      from: id,
      to: machine.hypervisor,
      detail: machine.hostId === null ? "" : `same ${machine.why}`,
      connections: 0,
      seenBy: "",
      exclusive: true,
      tell: `${nameOf(id)} is hosted by ${nameOf(machine.hypervisor)}`,
    };
  });
}

/** Who talks to whom and what is wired to what, by what all hosts show; and whom nobody knows. */
export function deriveConnections(
  hosts: readonly InventoriedHost[],
  partOf: (hostId: number, process: string) => number | undefined,
  nameOf: (id: number) => string,
  hostNamed: (shortName: string) => number | undefined,
): { relations: ObservedRelation[]; notes: Note[] } {
  const tables = hosts.map(({ component, inventory }): HostConnections => ({
    host: String(component.id),
    addresses: [component.address as string],
    software: inventory.software,
    listeners: inventory.listeners,
    connections: inventory.connections,
  }));
  const seen = new Set(hosts.filter((one) => one.seen).map((one) => one.component.id));
  const matched = matchConnections(tables);
  const relations = matched.conversations.flatMap((talk): ObservedRelation[] => {
    const from = partOf(Number(talk.fromHost), talk.fromProcess);
    const to = partOf(Number(talk.toHost), talk.toProcess);
    if (from === undefined || to === undefined || from === to) return [];
    return [
      {
        type: "talks-to",
        from,
        to,
        detail: `tcp/${talk.port}`,
        connections: talk.connections,
        seenBy: talk.seenBy,
        tell: `${nameOf(from)} now talks to ${nameOf(to)} on port ${talk.port}`,
      },
    ];
  });
  const notes = matched.unknown.flatMap((peer): Note[] => {
    const host = Number(peer.host);
    if (!seen.has(host)) return [];
    return [
      {
        componentId: partOf(host, peer.process) ?? host,
        address: peer.remoteAddress,
        title: `${peer.process} @ ${nameOf(host)}`,
        detail: `Talks to ${peer.remoteAddress}:${peer.remotePort} (${peer.connections} connections), which no source covers. Add a range if it is yours.`,
      },
    ];
  });
  for (const { component, inventory, seen: now } of hosts) {
    if (!now) continue;
    for (const neighbour of inventory.neighbours) {
      const other = hostNamed(neighbour.systemName.split(".")[0] ?? "");
      if (other !== undefined && other !== component.id)
        relations.push({
          type: "wired-to",
          from: other,
          to: component.id,
          detail: `port ${neighbour.localPort}`,
          connections: 0,
          seenBy: "",
        });
    }
  }
  return { relations, notes };
}

/** Words of an exclusive relation that replaces others. */
export const moveInWords = (name: string, from: readonly string[], to: string): string =>
  `${name} moved from ${from.join(", ")} to ${to}`;
