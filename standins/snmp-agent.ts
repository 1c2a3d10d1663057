import { createSocket, type Socket } from "node:dgram";
import { BerReader, BerWriter } from "asn1-ber";
import { writeDateAndTime } from "#core/telemetry/host-clock";
import { HostView } from "./seen/host-view";

/** One object instance of the agent's tree. */
export interface Instance {
  oid: number[];
  type: number;
  value: number | bigint | string | Buffer;
}

/** BER tags of SMIv2 types (RFC 2578 §7.1, RFC 3416 §3). */
const INTEGER = 0x02;
const OCTETS = 0x04;
const OBJECT_ID = 0x06;
const COUNTER32 = 0x41;
const GAUGE32 = 0x42;
const TICKS = 0x43;
const COUNTER64 = 0x46;
const NO_SUCH_OBJECT = 0x80;
const END_OF_VIEW = 0x82;

const parse = (oid: string) => oid.split(".").map(Number);
const SYSTEM = parse("1.3.6.1.2.1.1");
const IF_NUMBER = parse("1.3.6.1.2.1.2.1.0");
const IF_ENTRY = parse("1.3.6.1.2.1.2.2.1");
const IF_X_ENTRY = parse("1.3.6.1.2.1.31.1.1.1");
const TCP_CONNECTION = parse("1.3.6.1.2.1.6.19.1");
const TCP_LISTENER = parse("1.3.6.1.2.1.6.20.1");
const HR_UPTIME = parse("1.3.6.1.2.1.25.1.1.0");
const HR_DATE = parse("1.3.6.1.2.1.25.1.2.0");
const HR_MEMORY = parse("1.3.6.1.2.1.25.2.2.0");
const HR_STORAGE = parse("1.3.6.1.2.1.25.2.3.1");
const HR_PROCESSOR = parse("1.3.6.1.2.1.25.3.3.1");
const HR_RUN = parse("1.3.6.1.2.1.25.4.2.1");
const HR_RUN_PERF = parse("1.3.6.1.2.1.25.5.1.1");
const MET = parse("1.3.6.1.2.1.4.35.1");
const BRIDGE_PORT = parse("1.3.6.1.2.1.17.1.4.1");
const FORWARDING = parse("1.3.6.1.2.1.17.4.3.1");
const ENTITY = parse("1.3.6.1.2.1.47.1.1.1.1");
const LLDP_REMOTE = parse("1.0.8802.1.1.2.1.4.1.1");
const DISK_IO = parse("1.3.6.1.4.1.2021.13.15.1.1");
const VM_OBJECTS = parse("1.3.6.1.2.1.236.1");
const MEMORY_UNIT = 1024 * 1024;
/** RFC 7666 VirtualMachineOperState. */
const RUNNING = 4;
const SHUT_DOWN = 11;
const HR_STORAGE_TYPE = { other: 1, ram: 2, virtual: 3, disk: 4 } as const;

const octets = (address: string) => [4, ...address.split(".").map(Number)];

type Add = (base: readonly number[], rest: readonly number[], type: number, value: Instance["value"]) => void;
type Poll = ReturnType<HostView["poll"]>;

/** What it is (SNMPv2-MIB, RFC 3418). */
function addSystem(host: HostView, ticks: number, add: Add): void {
  const linux = host.role.system === "linux";
  const name = host.fullName;
  const { maker } = host.world.scenario.organisation;
  const hypervisor = host.role.system === "hypervisor";
  add(
    SYSTEM,
    [1, 0],
    OCTETS,
    hypervisor
      ? `${maker} machine host, image 3.4.1`
      : linux
        ? `Linux ${host.name} 6.1.0-21-amd64 #1 SMP x86_64`
        : `${maker} access switch, 48 ports, image 7.2.${Math.abs(host.machine.seed) % 4}`,
  );
  // 32473 is the enterprise number reserved for examples (RFC 5612).
  add(
    SYSTEM,
    [2, 0],
    OBJECT_ID,
    linux ? "1.3.6.1.4.1.8072.3.2.10" : hypervisor ? "1.3.6.1.4.1.32473.1.3" : "1.3.6.1.4.1.32473.1.2",
  );
  add(SYSTEM, [3, 0], TICKS, ticks);
  add(SYSTEM, [4, 0], OCTETS, host.site.contact);
  add(SYSTEM, [5, 0], OCTETS, name);
  add(SYSTEM, [6, 0], OCTETS, host.site.name);
  add(SYSTEM, [7, 0], INTEGER, linux || hypervisor ? 72 : 2);
}

/** Its ports and their counters (IF-MIB, RFC 2863). */
function addInterfaces(host: HostView, poll: Poll, add: Add): void {
  const interfaces = host.interfaceRows();
  add(IF_NUMBER, [], INTEGER, interfaces.length);
  interfaces.forEach((row, index) => {
    const at = [row.index];
    const counters = poll.interfaces[index];
    if (!counters) return;
    add(IF_ENTRY, [1, ...at], INTEGER, row.index);
    add(IF_ENTRY, [2, ...at], OCTETS, row.name);
    add(IF_ENTRY, [3, ...at], INTEGER, row.type);
    add(IF_ENTRY, [4, ...at], INTEGER, 1500);
    add(IF_ENTRY, [5, ...at], GAUGE32, Math.min(row.speedBps, 4_294_967_295));
    add(IF_ENTRY, [6, ...at], OCTETS, Buffer.from(row.physAddress.split(":").map((byte) => Number.parseInt(byte, 16))));
    add(IF_ENTRY, [7, ...at], INTEGER, 1);
    add(IF_ENTRY, [8, ...at], INTEGER, row.up ? 1 : 2);
    add(IF_ENTRY, [10, ...at], COUNTER32, counters.inOctets % 2 ** 32);
    add(IF_ENTRY, [14, ...at], COUNTER32, counters.errors);
    add(IF_ENTRY, [16, ...at], COUNTER32, counters.outOctets % 2 ** 32);
    add(IF_ENTRY, [20, ...at], COUNTER32, 0);
    add(IF_X_ENTRY, [1, ...at], OCTETS, row.name);
    add(IF_X_ENTRY, [6, ...at], COUNTER64, BigInt(counters.inOctets));
    add(IF_X_ENTRY, [10, ...at], COUNTER64, BigInt(counters.outOctets));
    add(IF_X_ENTRY, [15, ...at], GAUGE32, Math.round(row.speedBps / 1e6));
    add(IF_X_ENTRY, [18, ...at], OCTETS, "");
  });
}

/** Memory, file systems, processors and what runs (HOST-RESOURCES-MIB, RFC 2790). */
function addResources(host: HostView, atMs: number, ticks: number, poll: Poll, add: Add): void {
  add(HR_UPTIME, [], TICKS, ticks);
  add(HR_DATE, [], OCTETS, Buffer.from(writeDateAndTime(host.clockAt(atMs))));
  add(HR_MEMORY, [], INTEGER, Math.round((host.role.memoryGiB * 1024 ** 3) / 1024));
  for (const row of host.storageRows(atMs)) {
    add(HR_STORAGE, [1, row.index], INTEGER, row.index);
    add(HR_STORAGE, [2, row.index], OBJECT_ID, `1.3.6.1.2.1.25.2.1.${HR_STORAGE_TYPE[row.type]}`);
    add(HR_STORAGE, [3, row.index], OCTETS, row.label);
    add(HR_STORAGE, [4, row.index], INTEGER, row.unitBytes);
    add(HR_STORAGE, [5, row.index], INTEGER, row.sizeUnits);
    add(HR_STORAGE, [6, row.index], INTEGER, row.usedUnits);
  }
  poll.processorLoads.forEach((load, core) => {
    add(HR_PROCESSOR, [1, 196_608 + core], OBJECT_ID, "0.0");
    add(HR_PROCESSOR, [2, 196_608 + core], INTEGER, load);
  });
  for (const row of host.software(atMs)) {
    add(HR_RUN, [1, row.pid], INTEGER, row.pid);
    add(HR_RUN, [2, row.pid], OCTETS, row.name);
    add(HR_RUN, [4, row.pid], OCTETS, row.path);
    add(HR_RUN, [5, row.pid], OCTETS, row.parameters);
    add(HR_RUN, [6, row.pid], INTEGER, row.path ? 4 : 2);
    add(HR_RUN, [7, row.pid], INTEGER, 2);
    add(HR_RUN_PERF, [1, row.pid], INTEGER, row.cpuHundredths);
    add(HR_RUN_PERF, [2, row.pid], INTEGER, Math.round(row.memoryBytes / 1024));
  }
}

/** What its disk devices did (UCD-DISKIO-MIB), as agents of Linux hosts tell. */
function addDevices({ devices = [] }: Poll, add: Add): void {
  devices.forEach(({ name, reads, writes, busyMicroseconds }, place) => {
    add(DISK_IO, [1, place + 1], INTEGER, place + 1);
    add(DISK_IO, [2, place + 1], OCTETS, name);
    add(DISK_IO, [5, place + 1], COUNTER32, reads);
    add(DISK_IO, [6, place + 1], COUNTER32, writes);
    add(DISK_IO, [14, place + 1], COUNTER64, BigInt(busyMicroseconds));
  });
}

/** Everything the agent of a host shows at an instant, in order of OID. */
export function agentTree(host: HostView, atMs: number): Instance[] {
  const tree: Instance[] = [];
  const add: Add = (base, rest, type, value) => tree.push({ oid: [...base, ...rest], type, value });
  const ticks = Math.floor((atMs - host.upSinceMs()) / 10) % 2 ** 32;
  const hypervisor = host.role.system === "hypervisor";
  addSystem(host, ticks, add);
  const poll = host.poll(atMs);
  addInterfaces(host, poll, add);
  for (const row of host.connections(atMs)) {
    const at = [1, ...octets(row.localAddress), row.localPort, 1, ...octets(row.remoteAddress), row.remotePort];
    add(TCP_CONNECTION, [7, ...at], INTEGER, 5);
    add(TCP_CONNECTION, [8, ...at], GAUGE32, row.pid);
  }
  for (const row of host.listeners(atMs)) add(TCP_LISTENER, [4, 1, ...octets(row.address), row.port], GAUGE32, row.pid);
  addResources(host, atMs, ticks, poll, add);
  addDevices(poll, add);
  for (const row of host.neighbours) {
    const at = [0, row.localPort, 1];
    add(LLDP_REMOTE, [7, ...at], OCTETS, row.portId);
    add(LLDP_REMOTE, [9, ...at], OCTETS, row.systemName);
  }
  tree.push(...wiresOf(host, atMs));
  if (hypervisor) addGuests(host, atMs, add);
  return tree.sort((a, b) => compareOids(a.oid, b.oid));
}

const bytesOf = (physAddress: string) => physAddress.split(":").map((byte) => Number.parseInt(byte, 16));

/** What a switch remembers is forgotten after so long, as its own tables are. */
const WIRES_MS = 30_000;
const wires = new WeakMap<HostView, { atMs: number; rows: Instance[] }>();

/** Large tables that change seldom: made anew twice a minute. */
function wiresOf(host: HostView, atMs: number): Instance[] {
  const known = wires.get(host);
  if (known && Math.abs(atMs - known.atMs) < WIRES_MS) return known.rows;
  const rows: Instance[] = [];
  addWires(host, (base, rest, type, value) => rows.push({ oid: [...base, ...rest], type, value }));
  wires.set(host, { atMs, rows });
  return rows;
}

/** Whom a switch met (RFC 4293), behind which port (RFC 4188), and what it is made of (RFC 6933). */
function addWires(
  host: HostView,
  add: (base: readonly number[], rest: readonly number[], type: number, value: Instance["value"]) => void,
): void {
  for (const { address, physAddress } of host.metRows()) {
    const at = [1, 1, ...octets(address)];
    add(MET, [4, ...at], OCTETS, Buffer.from(bytesOf(physAddress)));
    add(MET, [6, ...at], INTEGER, 3);
  }
  const rows = host.bridgeRows();
  for (const port of new Set(rows.map((row) => row.port))) {
    add(BRIDGE_PORT, [1, port], INTEGER, port);
    add(BRIDGE_PORT, [2, port], INTEGER, port);
  }
  for (const { physAddress, port } of rows) {
    const at = bytesOf(physAddress);
    add(FORWARDING, [1, ...at], OCTETS, Buffer.from(at));
    add(FORWARDING, [2, ...at], INTEGER, port);
    add(FORWARDING, [3, ...at], INTEGER, 3);
  }
  host.entityRows().forEach((row, index) => {
    add(ENTITY, [2, index + 1], OCTETS, row.description);
    add(ENTITY, [5, index + 1], INTEGER, row.sort === "chassis" ? 3 : 6);
    add(ENTITY, [11, index + 1], OCTETS, row.serial);
    add(ENTITY, [13, index + 1], OCTETS, row.model);
  });
}

/** The virtual machines of a hypervisor (RFC 7666). */
function addGuests(
  host: HostView,
  atMs: number,
  add: (base: readonly number[], rest: readonly number[], type: number, value: Instance["value"]) => void,
): void {
  const rows = host.guestRows(atMs);
  add(VM_OBJECTS, [1, 1, 0], OCTETS, `${host.world.scenario.organisation.maker} machine host`);
  add(VM_OBJECTS, [1, 2, 0], OCTETS, "3.4.1");
  add(VM_OBJECTS, [1, 3, 0], OBJECT_ID, "1.3.6.1.4.1.32473.1.3");
  add(VM_OBJECTS, [2, 0], INTEGER, rows.length);
  rows.forEach((row, place) => {
    const index = place + 1;
    const guest = host.machine.guests.find((one) => one.name === row.name);
    if (!guest) return;
    const bootedAtMs = host.world.state.machine.bootedAtMs[guest.index] as number;
    const column = (number: number, type: number, value: Instance["value"]) =>
      add(VM_OBJECTS, [4, 1, number, index], type, value);
    column(2, OCTETS, row.name);
    column(3, OCTETS, Buffer.from(row.uuid.replaceAll("-", ""), "hex"));
    column(4, OCTETS, "Linux");
    column(5, INTEGER, row.running ? 1 : 4);
    column(6, INTEGER, row.running ? RUNNING : SHUT_DOWN);
    column(7, INTEGER, 2);
    column(8, INTEGER, 1);
    for (const number of [9, 10, 11]) column(number, INTEGER, row.processors);
    column(12, INTEGER, MEMORY_UNIT);
    for (const number of [13, 14, 15]) column(number, INTEGER, Math.round(row.memoryBytes / MEMORY_UNIT));
    column(16, TICKS, Math.floor((atMs - bootedAtMs) / 10) % 2 ** 32);
    column(17, COUNTER64, BigInt(row.cpuMicroseconds));
    for (const port of new HostView(host.world, guest).interfaceRows()) {
      add(VM_OBJECTS, [8, 1, 2, index, port.index], INTEGER, 1);
      add(
        VM_OBJECTS,
        [8, 1, 5, index, port.index],
        OCTETS,
        Buffer.from(port.physAddress.split(":").map((byte) => Number.parseInt(byte, 16))),
      );
    }
  });
}

function compareOids(a: readonly number[], b: readonly number[]): number {
  const shared = Math.min(a.length, b.length);
  for (let index = 0; index < shared; index++) {
    const difference = (a[index] as number) - (b[index] as number);
    if (difference !== 0) return difference;
  }
  return a.length - b.length;
}

/** Place of the first instance not before the OID. */
function lowerBound(tree: readonly Instance[], oid: readonly number[]): number {
  let low = 0;
  let high = tree.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (compareOids((tree[middle] as Instance).oid, oid) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}

const GET = 0xa0;
const GET_NEXT = 0xa1;
const RESPONSE = 0xa2;
const GET_BULK = 0xa5;
/** What fits one datagram with room to spare. */
const MOST_OCTETS = 1400;

/**
 * Answers one SNMPv2c message (RFC 3416), or undefined when it must stay silent: another version, a wrong community,
 * not SNMP.
 */
export function answer(message: Buffer, community: string, tree: () => readonly Instance[]): Buffer | undefined {
  let pdu: number;
  let requestId: number;
  let second: number;
  let third: number;
  const asked: number[][] = [];
  try {
    const reader = new BerReader(message);
    reader.readSequence();
    if (reader.readInt() !== 1) return undefined;
    if (reader.readString() !== community) return undefined;
    pdu = reader.readSequence() as number;
    requestId = reader.readInt() as number;
    second = reader.readInt() as number;
    third = reader.readInt() as number;
    reader.readSequence();
    while (reader.remain > 0 && asked.length < 128) {
      reader.readSequence();
      asked.push(parse(reader.readOID() as string));
      // The value that a question carries is empty or of no interest: its tag, its length, its octets.
      reader.readByte();
      const length = reader.readByte() ?? 0;
      for (let skipped = 0; skipped < length; skipped++) reader.readByte();
    }
  } catch {
    return undefined;
  }
  if (pdu !== GET && pdu !== GET_NEXT && pdu !== GET_BULK) return undefined;
  const all = tree();
  const bindings: Instance[] = [];
  const next = (oid: number[]): Instance => {
    let place = lowerBound(all, oid);
    if (all[place] && compareOids((all[place] as Instance).oid, oid) === 0) place++;
    return all[place] ?? { oid, type: END_OF_VIEW, value: 0 };
  };
  if (pdu === GET) {
    for (const oid of asked) {
      const found = all[lowerBound(all, oid)];
      bindings.push(found && compareOids(found.oid, oid) === 0 ? found : { oid, type: NO_SUCH_OBJECT, value: 0 });
    }
  } else if (pdu === GET_NEXT) for (const oid of asked) bindings.push(next(oid));
  else {
    const single = Math.min(Math.max(0, second), asked.length);
    for (const oid of asked.slice(0, single)) bindings.push(next(oid));
    let places = asked.slice(single);
    let size = 60 + bindings.length * 30;
    for (let repeat = 0; repeat < Math.max(0, third) && places.length; repeat++) {
      const found = places.map(next);
      size += found.reduce(
        (sum, one) =>
          sum +
          one.oid.length +
          12 +
          (typeof one.value === "string" ? one.value.length : Buffer.isBuffer(one.value) ? one.value.length : 8),
        0,
      );
      if (repeat > 0 && size > MOST_OCTETS) break;
      bindings.push(...found);
      if (found.every((one) => one.type === END_OF_VIEW)) break;
      places = found.map((one) => one.oid);
    }
  }
  return encode(community, requestId, bindings);
}

function encode(community: string, requestId: number, bindings: readonly Instance[]): Buffer {
  const writer = new BerWriter();
  writer.startSequence();
  writer.writeInt(1);
  writer.writeString(community);
  writer.startSequence(RESPONSE);
  writer.writeInt(requestId);
  writer.writeInt(0);
  writer.writeInt(0);
  writer.startSequence();
  for (const { oid, type, value } of bindings) {
    writer.startSequence();
    writer.writeOID(oid.join("."));
    if (type === NO_SUCH_OBJECT || type === END_OF_VIEW) writer.writeBuffer(Buffer.alloc(0), type);
    else if (type === OBJECT_ID) writer.writeOID(value as string);
    else if (type === OCTETS)
      writer.writeBuffer(Buffer.isBuffer(value) ? value : Buffer.from(String(value), "utf8"), OCTETS);
    else if (type === INTEGER) writer.writeInt(Number(value));
    else writer.writeBuffer(unsigned(BigInt(value as number | bigint)), type);
    writer.endSequence();
  }
  writer.endSequence();
  writer.endSequence();
  writer.endSequence();
  return writer.buffer;
}

/** Shortest two's complement octets of a number that is not negative. */
function unsigned(value: bigint): Buffer {
  let hex = value.toString(16);
  if (hex.length % 2) hex = `0${hex}`;
  const octets = Buffer.from(hex, "hex");
  return (octets[0] as number) & 0x80 ? Buffer.concat([Buffer.from([0]), octets]) : octets;
}

/** A tree is kept so many times as long as it takes to make. */
const LEISURE = 50;

/** Listens for SNMP on the host's own address. The tree is made anew at most four times a second. */
export function startAgent(host: HostView, port: number, now: () => number): Promise<Socket> {
  const socket = createSocket("udp4");
  let tree: Instance[] = [];
  let madeAt = Number.NEGATIVE_INFINITY;
  let madeFor = Number.NaN;
  let took = 0;
  const current = () => {
    const machine = performance.now();
    const at = now();
    if (machine - madeAt > Math.max(250, LEISURE * took) || Math.abs(at - madeFor) > 60_000) {
      tree = agentTree(host, at);
      madeAt = performance.now();
      took = madeAt - machine;
      madeFor = at;
    }
    return tree;
  };
  socket.on("message", (message, from) => {
    if (!host.answers(now())) return;
    const reply = answer(message, host.site.community, current);
    if (reply) socket.send(reply, from.port, from.address, () => undefined);
  });
  return new Promise((resolve, reject) => {
    socket.once("error", reject);
    socket.bind(port, host.address, () => {
      socket.off("error", reject);
      socket.on("error", () => undefined);
      resolve(socket);
    });
  });
}
