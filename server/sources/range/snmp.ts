import snmp, { type Session } from "net-snmp";
import {
  GUEST_STATES,
  type ConnectionRow,
  type GuestRow,
  type InterfaceRow,
  type ListenerRow,
  type NeighbourRow,
  type SoftwareRow,
  type StorageRow,
  type SystemSighting,
} from "#core/estate/sighting";
import type { HostPoll } from "#core/telemetry/poll";
import { keptText } from "#core/telemetry/text";
import { comesAfter } from "./oid";
import { inOrder, noteAnswer, openSession, rememberWay, type SnmpAccess } from "./snmp-access";

export interface SnmpTarget {
  address: string;
  port: number;
  /** Ways to speak to it, in the order in which they are tried. */
  access: readonly SnmpAccess[];
  /** Aborted when nobody waits for the answer any more. */
  signal?: AbortSignal;
}

/** An agent that did not answer, or answered with an error; the message is a reason for people. */
export class SnmpFailure extends Error {
  override name = "SnmpFailure";
}

/** The system group, and vmHvSoftware and vmHvVersion, which only a hypervisor has. */
const SYSTEM = [
  "1.3.6.1.2.1.1.1.0",
  "1.3.6.1.2.1.1.2.0",
  "1.3.6.1.2.1.1.4.0",
  "1.3.6.1.2.1.1.5.0",
  "1.3.6.1.2.1.1.6.0",
  "1.3.6.1.2.1.1.7.0",
  "1.3.6.1.2.1.236.1.1.1.0",
  "1.3.6.1.2.1.236.1.1.2.0",
];
const TABLES = {
  interfaces: "1.3.6.1.2.1.2.2",
  interfacesX: "1.3.6.1.2.1.31.1.1",
  storage: "1.3.6.1.2.1.25.2.3",
  processors: "1.3.6.1.2.1.25.3.3",
  software: "1.3.6.1.2.1.25.4.2",
  softwareUse: "1.3.6.1.2.1.25.5.1",
  tcpConnections: "1.3.6.1.2.1.6.19",
  tcpListeners: "1.3.6.1.2.1.6.20",
  neighbours: "1.0.8802.1.1.2.1.4.1",
  guests: "1.3.6.1.2.1.236.1.4",
  guestNetwork: "1.3.6.1.2.1.236.1.8",
} as const;

type Cell = number | bigint | Buffer | string | null;
type Rows = Map<string, Map<number, Cell>>;

/** Conversations that know no getBulk (RFC 1157). */
const oldStyle = new WeakSet<Session>();

/**
 * A conversation with one agent in the first way that it answers; closed when the work is done. Only silence leads to the
 * next way: what an agent answers is its answer.
 */
async function withSession<T>(
  target: SnmpTarget,
  timeoutMs: number,
  retries: number,
  work: (session: Session) => Promise<T>,
): Promise<T> {
  let failure: unknown = new SnmpFailure("There is no credential to ask with.");
  const ways = inOrder(target.address, target.port, target.access);
  for (const access of ways) {
    try {
      const result = await oneSession(target, access, timeoutMs, retries, work);
      noteAnswer(access, target.address);
      if (ways.length > 1) rememberWay(target.address, target.port, access);
      return result;
    } catch (error) {
      failure = error;
      if (target.signal?.aborted) break;
    }
  }
  throw failure;
}

async function oneSession<T>(
  target: SnmpTarget,
  access: SnmpAccess,
  timeoutMs: number,
  retries: number,
  work: (session: Session) => Promise<T>,
): Promise<T> {
  const session = openSession(target.address, target.port, access, timeoutMs, retries);
  if (access.version === "1") oldStyle.add(session);
  session.on("error", () => undefined);
  let open = true;
  const close = () => {
    if (open) session.close();
    open = false;
  };
  target.signal?.addEventListener("abort", close);
  try {
    if (target.signal?.aborted) throw new SnmpFailure("It was stopped.");
    return await work(session);
  } finally {
    target.signal?.removeEventListener("abort", close);
    close();
  }
}

interface Cells {
  oid: string;
  value: Cell;
  type: number;
}

/** What comes after some objects: a few rows at once, or one where the agent knows no better. */
function after(session: Session, oids: string[], repetitions: number): Promise<Cells[][]> {
  return new Promise((resolve, reject) => {
    if (oldStyle.has(session))
      session.getNext(oids, (error, bindings) => {
        // The end of what there is, as SNMP v1 says it.
        if ((error as Error | null)?.name === "RequestFailedError") return resolve(oids.map(() => []));
        if (error) return reject(new SnmpFailure(error.message));
        resolve(((bindings ?? []) as unknown as Cells[]).map((one) => [one]));
      });
    else
      session.getBulk(oids, 0, repetitions, (error, bindings) => {
        if (error) return reject(new SnmpFailure(error.message));
        resolve(bindings as unknown as Cells[][]);
      });
  });
}

function get(session: Session, oids: string[]): Promise<Cell[]> {
  return new Promise((resolve, reject) => {
    session.get(oids, (error, bindings) => {
      if (error) return reject(new SnmpFailure(error.message));
      resolve((bindings ?? []).map((one) => (snmp.isVarbindError(one) ? null : (one.value as Cell))));
    });
  });
}

/**
 * The columns of a table, rows by their index. All columns advance together, so a table of few rows is one question.
 */
async function readTable(session: Session, table: string, columns: readonly number[], mostRows = 4000): Promise<Rows> {
  const rows: Rows = new Map();
  const bases = columns.map((column) => `${table}.1.${column}.`);
  let places = bases.map((base, index) => ({ base, column: columns[index] as number, next: base.slice(0, -1) }));
  const repetitions = Math.max(4, Math.floor(48 / columns.length));
  while (places.length && rows.size < mostRows) {
    const answer = await after(
      session,
      places.map((place) => place.next),
      repetitions,
    );
    const going: typeof places = [];
    places.forEach((place, index) => {
      const found = answer[index] ?? [];
      let last = place.next;
      let inside = found.length > 0;
      for (const one of found) {
        if (snmp.isVarbindError(one as never) || !one.oid.startsWith(place.base)) {
          inside = false;
          break;
        }
        if (!comesAfter(one.oid, last))
          throw new SnmpFailure("Its SNMP agent is faulty: it lists the same objects again and again.");
        const key = one.oid.slice(place.base.length);
        let row = rows.get(key);
        if (!row) rows.set(key, (row = new Map()));
        row.set(place.column, one.value);
        last = one.oid;
      }
      if (inside && last !== place.next) going.push({ ...place, next: last });
    });
    places = going;
  }
  return rows;
}

/** A DisplayString has at most so many characters (RFC 2579). */
const MOST_TEXT = 255;
const text = (cell: Cell | undefined): string =>
  cell === null || cell === undefined
    ? ""
    : Buffer.isBuffer(cell)
      ? keptText(cell.toString("utf8", 0, 4 * MOST_TEXT).replaceAll("\0", ""), MOST_TEXT)
      : keptText(String(cell), MOST_TEXT);
/** Counter64 comes as octets. */
const number = (cell: Cell | undefined): number => {
  if (Buffer.isBuffer(cell)) return cell.reduce((sum, byte) => sum * 256 + byte, 0);
  return cell === null || cell === undefined ? 0 : Number(cell);
};

const STORAGE_TYPES: Readonly<Record<string, StorageRow["type"]>> = {
  "1.3.6.1.2.1.25.2.1.2": "ram",
  "1.3.6.1.2.1.25.2.1.3": "virtual",
  "1.3.6.1.2.1.25.2.1.4": "disk",
  "1.3.6.1.2.1.25.2.1.10": "disk",
};

async function readStorage(session: Session): Promise<StorageRow[]> {
  const rows = await readTable(session, TABLES.storage, [2, 3, 4, 5, 6]);
  return [...rows].map(([index, row]) => ({
    index: Number(index),
    type: STORAGE_TYPES[text(row.get(2))] ?? "other",
    label: text(row.get(3)).slice(0, 120),
    unitBytes: number(row.get(4)),
    // hrStorageSize is a signed 32-bit number; large disks wrap it.
    sizeUnits: number(row.get(5)) >>> 0,
    usedUnits: number(row.get(6)) >>> 0,
  }));
}

function splitAddress(parts: readonly number[], from: number): { address: string; next: number } {
  const length = parts[from + 1] ?? 0;
  const octets = parts.slice(from + 2, from + 2 + length);
  const address = length === 4 ? octets.join(".") : "";
  return { address, next: from + 2 + length };
}

/** Index of tcpListenerTable: address type, address, port (RFC 4022). */
function readListeners(rows: Rows): ListenerRow[] {
  return [...rows].flatMap(([index, row]) => {
    const parts = index.split(".").map(Number);
    const local = splitAddress(parts, 0);
    const port = parts[local.next];
    return port ? [{ address: local.address, port, pid: number(row.get(4)) }] : [];
  });
}

const ESTABLISHED = 5;

/** Index of tcpConnectionTable: local address and port, remote address and port (RFC 4022). */
function readConnections(rows: Rows): ConnectionRow[] {
  return [...rows].flatMap(([index, row]) => {
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
}

const physicalAddress = (cell: Cell | undefined): string =>
  Buffer.isBuffer(cell) ? [...cell].map((byte) => byte.toString(16).padStart(2, "0")).join(":") : "";

function uuidText(cell: Cell | undefined): string {
  if (!Buffer.isBuffer(cell) || cell.length !== 16 || cell.every((byte) => byte === 0)) return "";
  const hex = cell.toString("hex");
  return [hex.slice(0, 8), hex.slice(8, 12), hex.slice(12, 16), hex.slice(16, 20), hex.slice(20)].join("-");
}

const guestState = (cell: Cell | undefined): GuestRow["state"] => GUEST_STATES[number(cell) - 1] ?? "unknown";
/** vmCurMem counts units of vmMemUnit bytes. */
const guestMemory = (row: Map<number, Cell>): number => number(row.get(12)) * number(row.get(13));

/** The virtual machines of a hypervisor with their hardware addresses (RFC 7666 vmTable, vmNetworkTable). */
async function readGuests(session: Session): Promise<GuestRow[]> {
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

/**
 * Reads what discovery needs: system (RFC 3418), interfaces (RFC 2863), storage, processors and running software
 * (RFC 2790), TCP listeners and connections (RFC 4022), neighbours (IEEE 802.1AB), virtual machines (RFC 7666).
 * Throws an SnmpFailure when the agent does not answer; tables it lacks come back empty.
 */
export function readSystem(target: SnmpTarget, timeoutMs = 900, retries = 1): Promise<SystemSighting> {
  return withSession(target, timeoutMs, retries, (session) => get(session, SYSTEM)).then((system) =>
    readTables(target, system),
  );
}

/** Who has answered once is waited for longer: a busy agent is no silent one. */
const PATIENT_MS = 2000;

function readTables(
  target: SnmpTarget,
  [description, objectId, contact, name, location, services, hypervisor, version]: Cell[],
): Promise<SystemSighting> {
  return withSession(target, PATIENT_MS, 2, async (session) => {
    const interfaces = await readTable(session, TABLES.interfaces, [2, 3, 5, 6, 8]);
    const names = await readTable(session, TABLES.interfacesX, [1, 15]);
    const storage = await readStorage(session);
    const processors = await readTable(session, TABLES.processors, [2]);
    const software = await readTable(session, TABLES.software, [2, 4, 5]);
    const listeners = await readTable(session, TABLES.tcpListeners, [4]);
    const connections = await readTable(session, TABLES.tcpConnections, [7, 8], 20_000);
    const neighbours = await readTable(session, TABLES.neighbours, [7, 9]);
    const guests = text(hypervisor) ? await readGuests(session) : [];
    return {
      sysDescr: text(description).slice(0, 300),
      sysObjectId: text(objectId),
      sysContact: text(contact).slice(0, 200),
      sysName: text(name).slice(0, 200),
      sysLocation: text(location).slice(0, 200),
      sysServices: number(services),
      processors: processors.size,
      interfaces: [...interfaces].map(([index, row]): InterfaceRow => {
        const extra = names.get(index);
        return {
          index: Number(index),
          name: text(extra?.get(1)) || text(row.get(2)).slice(0, 80),
          type: number(row.get(3)),
          speedBps: extra?.has(15) ? number(extra.get(15)) * 1e6 : number(row.get(5)),
          physAddress: physicalAddress(row.get(6)),
          up: number(row.get(8)) === 1,
        };
      }),
      storage,
      software: [...software].map(([index, row]): SoftwareRow => ({
        pid: Number(index),
        name: text(row.get(2)).slice(0, 80),
        path: text(row.get(4)).slice(0, 200),
        parameters: text(row.get(5)).slice(0, 200),
      })),
      listeners: readListeners(listeners),
      connections: readConnections(connections),
      neighbours: [...neighbours].map(([index, row]): NeighbourRow => ({
        localPort: Number(index.split(".")[1] ?? 0),
        portId: text(row.get(7)).slice(0, 80),
        systemName: text(row.get(9)).slice(0, 120),
      })),
      ...(text(hypervisor)
        ? { guests, hypervisor: { software: text(hypervisor).slice(0, 80), version: text(version).slice(0, 40) } }
        : {}),
    };
  });
}

/** A process of the running-software tables (RFC 2790 §4.7, §4.8). */
export interface RunningProcess {
  pid: number;
  name: string;
  memoryBytes: number;
  cpuHundredths: number;
}

async function readRunning(session: Session): Promise<RunningProcess[]> {
  const names = await readTable(session, TABLES.software, [2]);
  const use = await readTable(session, TABLES.softwareUse, [1, 2]);
  return [...names].map(([index, row]) => ({
    pid: Number(index),
    name: text(row.get(2)).slice(0, 80),
    memoryBytes: number(use.get(index)?.get(2)) * 1024,
    cpuHundredths: number(use.get(index)?.get(1)),
  }));
}

/** All processes of a host with their memory and processor time. */
export function readProcesses(target: SnmpTarget, timeoutMs = 1500, retries = 1): Promise<RunningProcess[]> {
  return withSession(target, timeoutMs, retries, readRunning);
}

async function readGuestUse(session: Session): Promise<NonNullable<HostPoll["guests"]>> {
  const rows = await readTable(session, TABLES.guests, [2, 3, 6, 9, 12, 13, 17]);
  return [...rows.values()].map((row) => {
    const state = guestState(row.get(6));
    return {
      name: text(row.get(2)).slice(0, 120),
      uuid: uuidText(row.get(3)),
      running: state === "running" || state === "migrating",
      processors: number(row.get(9)),
      memoryBytes: guestMemory(row),
      cpuMicroseconds: number(row.get(17)),
    };
  });
}

/** One look at a host for its metrics. Throws an SnmpFailure when the agent does not answer. */
export function pollHost(
  target: SnmpTarget,
  also: { processes: boolean; guests: boolean },
  timeoutMs = 1500,
  retries = 1,
): Promise<HostPoll> {
  return withSession(target, timeoutMs, retries, async (session) => {
    const processors = await readTable(session, TABLES.processors, [2]);
    const storage = await readStorage(session);
    const counters = await readTable(session, TABLES.interfacesX, [1, 6, 10]);
    const state = await readTable(session, TABLES.interfaces, [2, 3, 8, 14]);
    const running = also.processes ? await readRunning(session) : [];
    const byName = new Map<string, HostPoll["processes"][number]>();
    for (const process of running) {
      const known = byName.get(process.name);
      if (known) {
        known.memoryBytes += process.memoryBytes;
        known.cpuHundredths += process.cpuHundredths;
      } else
        byName.set(process.name, {
          name: process.name,
          memoryBytes: process.memoryBytes,
          cpuHundredths: process.cpuHundredths,
        });
    }
    return {
      processorLoads: [...processors.values()].map((row) => number(row.get(2))),
      storage: storage.map((row) => ({
        label: row.label,
        type: row.type,
        usedBytes: row.usedUnits * row.unitBytes,
        sizeBytes: row.sizeUnits * row.unitBytes,
      })),
      interfaces: [...state].flatMap(([index, row]) => {
        const more = counters.get(index);
        // The loopback (RFC 2863 ifType 24) tells nothing about the network.
        if (number(row.get(3)) === 24 || !more) return [];
        return [
          {
            name: text(more.get(1)) || text(row.get(2)),
            inOctets: number(more.get(6)),
            outOctets: number(more.get(10)),
            errors: number(row.get(14)),
            up: number(row.get(8)) === 1,
          },
        ];
      }),
      processes: [...byName.values()],
      ...(also.guests ? { guests: await readGuestUse(session) } : {}),
    };
  });
}
