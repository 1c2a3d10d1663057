import type { Session } from "net-snmp";
import { addressText } from "#core/estate/addresses";
import {
  GUEST_STATES,
  type BridgeRow,
  type ConnectionRow,
  type EntityRow,
  type GuestRow,
  type ListenerRow,
  type MetRow,
  type SoftwareRow,
  type StorageRow,
} from "#core/estate/sighting";
import { isDisk } from "#core/estate/storage";
import { number, readTable, text, type Cell, type Rows } from "./snmp-session";

export const TABLES = {
  interfaces: "1.3.6.1.2.1.2.2",
  interfacesX: "1.3.6.1.2.1.31.1.1",
  addresses: "1.3.6.1.2.1.4.34",
  addressesV4: "1.3.6.1.2.1.4.20",
  storage: "1.3.6.1.2.1.25.2.3",
  processors: "1.3.6.1.2.1.25.3.3",
  fileSystems: "1.3.6.1.2.1.25.3.8",
  /** UCD-DISKIO-MIB diskIOTable of the agents that most Linux hosts run. */
  devices: "1.3.6.1.4.1.2021.13.15.1",
  software: "1.3.6.1.2.1.25.4.2",
  softwareUse: "1.3.6.1.2.1.25.5.1",
  tcpV4: "1.3.6.1.2.1.6.13",
  tcpConnections: "1.3.6.1.2.1.6.19",
  tcpListeners: "1.3.6.1.2.1.6.20",
  neighbours: "1.0.8802.1.1.2.1.4.1",
  met: "1.3.6.1.2.1.4.35",
  metV4: "1.3.6.1.2.1.4.22",
  forwardingOfVlans: "1.3.6.1.2.1.17.7.1.2.2",
  forwarding: "1.3.6.1.2.1.17.4.3",
  bridgePorts: "1.3.6.1.2.1.17.1.4",
  entities: "1.3.6.1.2.1.47.1.1.1",
  guests: "1.3.6.1.2.1.236.1.4",
  guestNetwork: "1.3.6.1.2.1.236.1.8",
} as const;

const STORAGE_TYPES: Readonly<Record<string, StorageRow["type"]>> = {
  "1.3.6.1.2.1.25.2.1.2": "ram",
  "1.3.6.1.2.1.25.2.1.3": "virtual",
  "1.3.6.1.2.1.25.2.1.4": "disk",
  "1.3.6.1.2.1.25.2.1.10": "disk",
};

const READ_ONLY = 2;

/** Volumes (RFC 2790 hrStorageTable); what is no disk that can fill up counts as other. */
export async function readStorage(session: Session): Promise<StorageRow[]> {
  const rows = await readTable(session, TABLES.storage, [2, 3, 4, 5, 6]);
  const mounted = await readTable(session, TABLES.fileSystems, [5, 7]);
  const readOnly = new Set(
    [...mounted.values()].flatMap((row) => (number(row.get(5)) === READ_ONLY ? number(row.get(7)) : [])),
  );
  return [...rows].map(([index, row]) => {
    const type = STORAGE_TYPES[text(row.get(2))] ?? "other";
    const one: StorageRow = {
      index: Number(index),
      type,
      label: text(row.get(3)).slice(0, 120),
      unitBytes: number(row.get(4)),
      // hrStorageSize is a signed 32-bit number; large disks wrap it.
      sizeUnits: number(row.get(5)) >>> 0,
      usedUnits: number(row.get(6)) >>> 0,
    };
    return type === "disk" && !isDisk(one, readOnly.has(one.index)) ? { ...one, type: "other" } : one;
  });
}

/** Running programs (RFC 2790 hrSWRunTable). */
export async function readSoftware(session: Session): Promise<SoftwareRow[]> {
  const rows = await readTable(session, TABLES.software, [2, 4, 5]);
  return [...rows].map(([index, row]): SoftwareRow => ({
    pid: Number(index),
    name: text(row.get(2)).slice(0, 80),
    path: text(row.get(4)).slice(0, 200),
    parameters: text(row.get(5)).slice(0, 200),
  }));
}

/** An InetAddress in an index (RFC 4001): type, length, octets; the zone of a link-local one left out. */
function splitAddress(parts: readonly number[], from: number): { address: string | undefined; next: number } {
  const length = parts[from + 1] ?? 0;
  const octets = parts.slice(from + 2, from + 2 + length);
  const zoned = length === 8 || length === 20 ? octets.slice(0, -4) : octets;
  return { address: length === 0 ? "" : addressText(zoned) || undefined, next: from + 2 + length };
}

const MOST_CONNECTIONS = 20_000;
const [LISTENS, ESTABLISHED] = [2, 5];

/**
 * Who listens and who is connected (RFC 4022); of an agent that knows the older table alone (RFC 1213) without owners.
 */
export async function readTcp(session: Session): Promise<{ listeners: ListenerRow[]; connections: ConnectionRow[] }> {
  const listeners = listenersOf(await readTable(session, TABLES.tcpListeners, [4]));
  const connections = connectionsOf(await readTable(session, TABLES.tcpConnections, [7, 8], MOST_CONNECTIONS));
  if (listeners.length || connections.length) return { listeners, connections };
  return olderTable(await readTable(session, TABLES.tcpV4, [1], MOST_CONNECTIONS));
}

/** Index of tcpListenerTable: address type, address, port. */
const listenersOf = (rows: Rows): ListenerRow[] =>
  [...rows].flatMap(([index, row]) => {
    const parts = index.split(".").map(Number);
    const local = splitAddress(parts, 0);
    const port = parts[local.next];
    return port && local.address !== undefined ? [{ address: local.address, port, pid: number(row.get(4)) }] : [];
  });

/** Index of tcpConnectionTable: local address and port, remote address and port. */
const connectionsOf = (rows: Rows): ConnectionRow[] =>
  [...rows].flatMap(([index, row]) => {
    if (number(row.get(7)) !== ESTABLISHED) return [];
    const parts = index.split(".").map(Number);
    const local = splitAddress(parts, 0);
    const remote = splitAddress(parts, local.next + 1);
    const localPort = parts[local.next];
    const remotePort = parts[remote.next];
    if (!local.address || !remote.address || !localPort || !remotePort) return [];
    return [
      { localAddress: local.address, localPort, remoteAddress: remote.address, remotePort, pid: number(row.get(8)) },
    ];
  });

/** Index of tcpConnTable: local address and port, remote address and port, all IPv4. */
function olderTable(rows: Rows): { listeners: ListenerRow[]; connections: ConnectionRow[] } {
  const listeners: ListenerRow[] = [];
  const connections: ConnectionRow[] = [];
  for (const [index, row] of rows) {
    const parts = index.split(".").map(Number);
    const [localAddress, localPort, remoteAddress, remotePort] = [
      addressText(parts.slice(0, 4)),
      parts[4] ?? 0,
      addressText(parts.slice(5, 9)),
      parts[9] ?? 0,
    ];
    const state = number(row.get(1));
    if (state === LISTENS && localPort) listeners.push({ address: localAddress, port: localPort, pid: 0 });
    if (state === ESTABLISHED && localPort && remotePort)
      connections.push({ localAddress, localPort, remoteAddress, remotePort, pid: 0 });
  }
  return { listeners, connections };
}

const isOwn = (address: string) => address !== "" && !/^127\.|^0\.|^::1?$|^fe80:/.test(address);

/** Addresses of its interfaces (RFC 4293, else RFC 1213), without those that every host has. */
export async function readAddresses(session: Session): Promise<string[]> {
  const rows = await readTable(session, TABLES.addresses, [3]);
  const found = [...rows.keys()].map((index) => splitAddress(index.split(".").map(Number), 0).address ?? "");
  if (!found.length)
    for (const index of (await readTable(session, TABLES.addressesV4, [2])).keys())
      found.push(addressText(index.split(".").map(Number)));
  return [...new Set(found.filter(isOwn))].sort();
}

/** Rows of these tables that are kept of one system. */
const MOST_MET = 4_000;
const MOST_ENTITIES = 200;

/** Who is on its wires (RFC 4293, else RFC 1213). */
export async function readMet(session: Session): Promise<MetRow[]> {
  const rows = await readTable(session, TABLES.met, [4], MOST_MET);
  const found = [...rows].map(([index, row]) => ({
    // ifIndex, then the address with its type and length.
    address: splitAddress(index.split(".").map(Number), 1).address ?? "",
    physAddress: physicalAddress(row.get(4)),
  }));
  if (!found.length)
    for (const [index, row] of await readTable(session, TABLES.metV4, [2], MOST_MET))
      found.push({
        address: addressText(index.split(".").map(Number).slice(1)),
        physAddress: physicalAddress(row.get(2)),
      });
  return found.filter(
    ({ address, physAddress }) => address !== "" && !address.startsWith("fe80:") && physAddress.length === 17,
  );
}

/** Behind which port it met whom: by VLAN (RFC 4363), else without (RFC 4188). */
export async function readBridge(session: Session): Promise<BridgeRow[]> {
  const ports = await readTable(session, TABLES.bridgePorts, [2]);
  if (!ports.size) return [];
  let rows = await readTable(session, TABLES.forwardingOfVlans, [2], MOST_MET);
  if (!rows.size) rows = await readTable(session, TABLES.forwarding, [2], MOST_MET);
  return [...rows].flatMap(([index, row]) => {
    const octets = index.split(".").map(Number).slice(-6);
    const port = number(ports.get(String(number(row.get(2))))?.get(2));
    const physAddress = octets.map((byte) => byte.toString(16).padStart(2, "0")).join(":");
    return octets.length === 6 && port > 0 ? [{ physAddress, port }] : [];
  });
}

/** RFC 6933 PhysicalClass, in order from 1. */
const CLASSES = [
  "other",
  "unknown",
  "chassis",
  "backplane",
  "container",
  "power supply",
  "fan",
  "sensor",
  "module",
  "port",
  "stack",
  "processor",
];
/** What people replace, and ask the serial number of. */
const REPLACED = new Set(["chassis", "power supply", "module", "stack"]);

/** What it is made of: chassis, modules, power supplies (RFC 6933). */
export async function readEntities(session: Session): Promise<EntityRow[]> {
  const rows = await readTable(session, TABLES.entities, [2, 5, 11, 13], 2_000);
  return [...rows.values()]
    .map((row) => ({
      sort: CLASSES[number(row.get(5)) - 1] ?? "unknown",
      description: text(row.get(2)).slice(0, 120),
      serial: text(row.get(11)).trim().slice(0, 60),
      model: text(row.get(13)).trim().slice(0, 80),
    }))
    .filter((one) => REPLACED.has(one.sort))
    .slice(0, MOST_ENTITIES);
}

export const physicalAddress = (cell: Cell | undefined): string =>
  Buffer.isBuffer(cell) ? [...cell].map((byte) => byte.toString(16).padStart(2, "0")).join(":") : "";

export function uuidText(cell: Cell | undefined): string {
  if (!Buffer.isBuffer(cell) || cell.length !== 16 || cell.every((byte) => byte === 0)) return "";
  const hex = cell.toString("hex");
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join("-");
}

export const guestState = (cell: Cell | undefined): GuestRow["state"] => GUEST_STATES[number(cell) - 1] ?? "unknown";
/** vmCurMem counts units of vmMemUnit bytes. */
export const guestMemory = (row: Map<number, Cell>): number => number(row.get(12)) * number(row.get(13));

/** The virtual machines of a hypervisor with their hardware addresses (RFC 7666 vmTable, vmNetworkTable). */
export async function readGuests(session: Session): Promise<GuestRow[]> {
  const rows = await readTable(session, TABLES.guests, [2, 3, 4, 6, 9, 12, 13]);
  if (!rows.size) return [];
  const network = await readTable(session, TABLES.guestNetwork, [5]);
  return [...rows].map(([index, row]): GuestRow => ({
    index: Number(index),
    name: text(row.get(2)).slice(0, 120),
    uuid: uuidText(row.get(3)),
    system: text(row.get(4)).slice(0, 120),
    state: guestState(row.get(6)),
    processors: number(row.get(9)),
    memoryBytes: guestMemory(row),
    // Indexed by machine, then interface.
    physAddresses: [...network]
      .filter(([key]) => key.split(".")[0] === index)
      .map(([, one]) => physicalAddress(one.get(5)))
      .filter(Boolean),
  }));
}
