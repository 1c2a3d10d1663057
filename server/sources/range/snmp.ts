import type { Session } from "net-snmp";
import { partsOfTables, type HostTables } from "#core/estate/parts";
import type { InterfaceRow, NeighbourRow, SystemSighting } from "#core/estate/sighting";
import { readDateAndTime } from "#core/telemetry/host-clock";
import type { HostPoll } from "#core/telemetry/poll";
import { Limiter } from "../../outside/limit";
import { get, MOST_ROWS, number, readTable, text, withSession, type Cell, type SnmpTarget } from "./snmp-session";
import {
  guestMemory,
  guestState,
  physicalAddress,
  readAddresses,
  readBridge,
  readEntities,
  readGuests,
  readMet,
  readSoftware,
  readStorage,
  readTcp,
  TABLES,
  uuidText,
} from "./snmp-tables";

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

/** hrSystemDate (RFC 2790). */
const SYSTEM_DATE = "1.3.6.1.2.1.25.1.2.0";

/**
 * Reads what discovery needs: system (RFC 3418), interfaces (RFC 2863), storage, processors and running software
 * (RFC 2790), TCP listeners and connections (RFC 4022), neighbours (IEEE 802.1AB), whom it met (RFC 4293) and behind
 * which port (RFC 4188, 4363), what it is made of (RFC 6933), virtual machines (RFC 7666).
 * Throws an SnmpFailure when the agent does not answer; tables it lacks come back empty.
 */
export function readSystem(target: SnmpTarget, timeoutMs = 900, retries = 1): Promise<SystemSighting> {
  return withSession(target, timeoutMs, retries, (session) => get(session, SYSTEM)).then((system) =>
    reading.through(() => readTables(target, system)),
  );
}

/** RFC 3418 sysServices: layer 2, and layers 2 and 3. */
const FORWARDS_FRAMES = 2;
const FORWARDS = 6;

/** Systems whose tables are read side by side, of all sweeps: more would only wait for each other, and give up. */
const reading = new Limiter(64);

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
    const software = await readSoftware(session);
    const tcp = await readTcp(session);
    const addresses = await readAddresses(session);
    const neighbours = await readTable(session, TABLES.neighbours, [7, 9]);
    // Whom a host met its network devices met too, and what it is made of it does not tell: they are not asked in vain.
    const isDevice = (number(services) & FORWARDS) !== 0 || software.length === 0;
    const met = isDevice ? await readMet(session) : [];
    const bridge = number(services) & FORWARDS_FRAMES ? await readBridge(session) : [];
    const entities = isDevice ? await readEntities(session) : [];
    const whole = entities.find((one) => one.sort === "stack" || one.sort === "chassis");
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
      software,
      ...tcp,
      addresses,
      neighbours: [...neighbours].map(([index, row]): NeighbourRow => ({
        localPort: Number(index.split(".")[1] ?? 0),
        portId: text(row.get(7)).slice(0, 80),
        systemName: text(row.get(9)).slice(0, 120),
      })),
      ...(met.length ? { met } : {}),
      ...(bridge.length ? { bridge } : {}),
      ...(entities.length ? { entities } : {}),
      ...(whole?.serial ? { serial: whole.serial } : {}),
      ...(whole?.model ? { model: whole.model } : {}),
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

/** What processes use, by number. */
async function readUse(session: Session): Promise<Map<number, Pick<RunningProcess, "memoryBytes" | "cpuHundredths">>> {
  const use = await readTable(session, TABLES.softwareUse, [1, 2]);
  return new Map(
    [...use].map(([index, row]) => [
      Number(index),
      { memoryBytes: number(row.get(2)) * 1024, cpuHundredths: number(row.get(1)) },
    ]),
  );
}

const NO_USE = { memoryBytes: 0, cpuHundredths: 0 };

/** All processes of a host with their memory and processor time. */
export function readProcesses(target: SnmpTarget, timeoutMs = 1500, retries = 1): Promise<RunningProcess[]> {
  return withSession(target, timeoutMs, retries, async (session) => {
    const names = await readTable(session, TABLES.software, [2]);
    const use = await readUse(session);
    return [...names].map(([index, row]) => ({
      pid: Number(index),
      name: text(row.get(2)).slice(0, 80),
      ...(use.get(Number(index)) ?? NO_USE),
    }));
  });
}

/** What the programs of a host use, workers and masters together, by the names that the estate has for them. */
function usedByParts(
  tables: HostTables,
  use: ReadonlyMap<number, Pick<RunningProcess, "memoryBytes" | "cpuHundredths">>,
): HostPoll["processes"] {
  const { ofPid } = partsOfTables(tables);
  const byLabel = new Map<string, HostPoll["processes"][number]>();
  for (const { pid, name } of tables.software) {
    const { memoryBytes, cpuHundredths } = use.get(pid) ?? NO_USE;
    const label = ofPid.get(pid)?.label ?? name;
    const known = byLabel.get(label);
    if (!known) byLabel.set(label, { name: label, memoryBytes, cpuHundredths, pids: [pid] });
    else {
      known.memoryBytes += memoryBytes;
      known.cpuHundredths += cpuHundredths;
      known.pids?.push(pid);
    }
  }
  return [...byLabel.values()];
}

/** What disk devices did; more rows than these are no host's. */
const MOST_DEVICES = 512;

async function readDevices(session: Session): Promise<NonNullable<HostPoll["devices"]>> {
  const rows = await readTable(session, TABLES.devices, [2, 5, 6, 14], MOST_DEVICES);
  return [...rows.values()].flatMap((row) =>
    // Older agents do not count how long a device was busy.
    row.has(14)
      ? [
          {
            name: text(row.get(2)).slice(0, 40),
            reads: number(row.get(5)),
            writes: number(row.get(6)),
            busyMicroseconds: number(row.get(14)),
          },
        ]
      : [],
  );
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
    // What is wrong with this table of its maker is nothing that the host does not respond for.
    const devices = await readDevices(session).catch(() => []);
    const counters = await readTable(session, TABLES.interfacesX, [1, 6, 10]);
    const state = await readTable(session, TABLES.interfaces, [2, 3, 8, 14]);
    const tables = also.processes ? { software: await readSoftware(session), ...(await readTcp(session)) } : undefined;
    const processes = tables ? usedByParts(tables, await readUse(session)) : [];
    // Who has no such object may refuse the question whole, as SNMP v1 does.
    const [time] = await get(session, [SYSTEM_DATE]).catch(() => []);
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
      ...(devices.length ? { devices } : {}),
      processes,
      ...(tables && tables.software.length >= MOST_ROWS ? { isCut: true } : {}),
      ...(Buffer.isBuffer(time) ? { clock: readDateAndTime(time) } : {}),
      ...(tables ? { tables } : {}),
      ...(also.guests ? { guests: await readGuestUse(session) } : {}),
    };
  });
}
