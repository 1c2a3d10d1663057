import { matchConnections, type Conversation, type End, type HostConnections, type UnknownPeer } from "./connections";
import { guestKey, placeGuests, type PlacedGuest } from "./guests";
import { isOwnHardware } from "./identity";
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
      ...(inventory.uuid ? { uuid: inventory.uuid } : {}),
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

/** What is known of hosts, as far as who talks to whom depends on it. */
export interface Neighbourhood {
  nameOf: (id: number) => string;
  /** The part of a host that is an end of a conversation. */
  partOf: (hostId: number, end: Pick<End, "part" | "listener">) => number | undefined;
  hostNamed: (shortName: string) => number | undefined;
  /** Whether a source looks at an address. */
  isCovered: (address: string) => boolean;
  /** Whether some host has an address. */
  isKnown: (address: string) => boolean;
  /** Hosts whose system nobody could read, with their addresses. */
  unreadHosts: readonly { id: number; address: string }[];
}

/** The TCP side of a host with what it showed last; its own addresses are those that it listens on and speaks from too. */
export function connectionsOf(id: number, address: string | null, inventory: SystemSighting): HostConnections {
  const own = new Set(address ? [address] : []);
  for (const one of inventory.addresses ?? []) own.add(one);
  return { host: String(id), addresses: [...own], tables: inventory };
}

/** Who talks to whom by conversations that were matched; ends that are no components are left out. */
export function relationsOfTalks(
  conversations: readonly Conversation[],
  { partOf, nameOf }: Pick<Neighbourhood, "partOf" | "nameOf">,
): ObservedRelation[] {
  return conversations.flatMap((talk): ObservedRelation[] => {
    const idOf = (end: End) => partOf(Number(end.host), end) ?? (end.part === null ? Number(end.host) : undefined);
    const [from, to] = [idOf(talk.from), idOf(talk.to)];
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
}

/** Who talks to whom and what is wired to what, by what all hosts show; and whom nobody knows. */
export function deriveConnections(
  hosts: readonly InventoriedHost[],
  around: Neighbourhood,
): { relations: ObservedRelation[]; notes: Note[] } {
  const tables = [
    ...hosts.map(({ component, inventory }) => connectionsOf(component.id, component.address, inventory)),
    ...around.unreadHosts.map(({ id, address }): HostConnections => ({
      host: String(id),
      addresses: [address],
      tables: undefined,
    })),
  ];
  const seen = new Set(hosts.filter((one) => one.seen).map((one) => one.component.id));
  const matched = matchConnections(tables);
  const relations = relationsOfTalks(matched.conversations, around);
  const notes = matched.unknown.flatMap((peer): Note[] =>
    seen.has(Number(peer.host)) ? [unknownPeer(peer, around)] : [],
  );
  const wires = ownersOfHardware(hosts);
  notes.push(...strangers(hosts, wires, around));
  for (const { component, inventory, seen: now } of hosts) {
    if (!now) continue;
    for (const neighbour of inventory.neighbours) {
      const other = around.hostNamed(neighbour.systemName.split(".")[0] ?? "");
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
    // What a neighbour says of itself goes before what a bridge makes of its frames.
    const said = new Set(relations.flatMap((one) => (one.type === "wired-to" ? [`${one.from} ${one.to}`] : [])));
    relations.push(...behindPorts(component.id, inventory, wires).filter((one) => !said.has(`${one.from} ${one.to}`)));
  }
  return { relations, notes };
}

/** Whose each hardware address is; what several have is nobody's. */
function ownersOfHardware(hosts: readonly InventoriedHost[]): ReadonlyMap<string, number | null> {
  const owners = new Map<string, number | null>();
  for (const { component, inventory } of hosts)
    for (const { name, physAddress } of inventory.interfaces) {
      const address = physAddress.toLowerCase();
      if (!isOwnHardware(name, address)) continue;
      const before = owners.get(address);
      owners.set(address, before === undefined || before === component.id ? component.id : null);
    }
  return owners;
}

/** What is wired to a bridge: behind a port where it met one system only. */
function behindPorts(
  bridge: number,
  { bridge: rows = [] }: SystemSighting,
  owners: ReadonlyMap<string, number | null>,
): ObservedRelation[] {
  const byPort = new Map<number, Set<string>>();
  for (const { physAddress, port } of rows) byPort.set(port, (byPort.get(port) ?? new Set()).add(physAddress));
  return [...byPort].flatMap(([port, met]) => {
    const [only] = met;
    const owner = met.size === 1 && only !== undefined ? owners.get(only) : undefined;
    return owner === undefined || owner === null || owner === bridge
      ? []
      : [
          {
            type: "wired-to" as const,
            from: owner,
            to: bridge,
            detail: `port ${port}`,
            connections: 0,
            seenBy: "",
            unlessKnown: true,
          },
        ];
  });
}

const MOST_STRANGERS = 200;

/** Who was met on the wires and is nobody known: neither by hardware nor by address. */
function strangers(
  hosts: readonly InventoriedHost[],
  owners: ReadonlyMap<string, number | null>,
  { isCovered, isKnown }: Neighbourhood,
): Note[] {
  const met = new Map<string, { by: InventoriedHost[]; physAddress: string }>();
  for (const host of hosts) {
    if (!host.seen) continue;
    for (const { address, physAddress } of host.inventory.met ?? []) {
      if (owners.has(physAddress) || isKnown(address) || isGroup(physAddress)) continue;
      const before = met.get(address);
      if (before) before.by.push(host);
      else met.set(address, { by: [host], physAddress });
    }
  }
  return [...met].slice(0, MOST_STRANGERS).map(([address, { by, physAddress }]) => {
    const [first] = by as [InventoriedHost];
    const others = by.length - 1;
    const who = `${first.component.name}${others ? ` and ${others} more` : ""}`;
    return {
      componentId: first.component.id,
      address,
      title: address,
      detail: `Met on the wire by ${who} (hardware address ${physAddress}), ${isCovered(address) ? "which a source covers, but nothing answered there." : "which no source covers. Add a range if it is yours."}`,
    };
  });
}

/** Hardware addresses of groups, and those that redundant routers share (RFC 5798). */
const isGroup = (physAddress: string) =>
  (Number.parseInt(physAddress.slice(0, 2), 16) & 1) === 1 || physAddress.startsWith("00:00:5e:00:0");

/** What to do about an address that somebody talks to and nobody answers for. */
function unknownPeer(peer: UnknownPeer, { nameOf, partOf, isCovered }: Neighbourhood): Note {
  const host = Number(peer.host);
  const count = `${peer.connections} ${peer.connections === 1 ? "connection" : "connections"}`;
  const where = `${peer.remoteAddress}:${peer.remotePort} (${count})`;
  const advice = peer.claimedBy.length
    ? `an address that ${peer.claimedBy.map((one) => nameOf(Number(one))).join(" and ")} all have, so which of them is meant is not known.`
    : isCovered(peer.remoteAddress)
      ? "which a source covers, but nothing answered there. Check whether it is up and lets this machine in."
      : "which no source covers. Add a range if it is yours.";
  return {
    componentId: partOf(host, peer) ?? host,
    address: peer.remoteAddress,
    title: peer.part === null ? nameOf(host) : `${peer.part} @ ${nameOf(host)}`,
    detail: `Talks to ${where}, ${advice}`,
  };
}

/** Words of an exclusive relation that replaces others. */
export const moveInWords = (name: string, from: readonly string[], to: string): string =>
  `${name} moved from ${from.join(", ")} to ${to}`;
