import { canonicalAddress } from "../../estate/addresses";
import { OF_PLATFORM, PLATFORM } from "../../estate/labels";
import { identityKey, type Observation } from "../../estate/observation";
import { addUp } from "./sum";
import type { VirtualDisk, VirtualHost, VirtualMachine, VirtualPort } from "./read";

/** A figure of something that a virtualisation host has, by its key. */
export interface VirtualFigure {
  key: string;
  metric: string;
  instance: string;
  unit: string;
  value: number;
}

const MIB = 1024 * 1024;
const GIB = 1024 * MIB;

/** What everything of one host is known by begins so. */
export const virtualPrefix = (host: VirtualHost, address: string): string =>
  `native:virtual/${encodeURIComponent(host.uuid || `${host.name}@${address}`)}/`;
const keyOf = (prefix: string, list: string, name: string) =>
  identityKey("native", `${prefix.slice("native:".length)}${list}/${encodeURIComponent(name)}`).value;

const facts = (given: Readonly<Record<string, string | number>>) =>
  Object.fromEntries(
    Object.entries(given).flatMap(([name, value]) =>
      value === "" || value === 0 ? [] : [[`${OF_PLATFORM}${name}`, String(value)]],
    ),
  );
const told = { depth: 1, readBy: PLATFORM } as const;
const sure = (is: string, reason: string) => ({ is, reason, confidence: 0.9 });

/** How things of one host are keyed and called. */
interface Naming {
  own: string;
  keyOf: (list: "pools" | "networks" | "machines" | "disks", name: string) => string;
  /** A name with its host's, where the name alone is taken. */
  on: (name: string) => string;
}

/** A virtualisation host with its machines, their disks, its networks and its pools. */
export function observeVirtual(host: VirtualHost, address: string): Observation[] {
  const prefix = virtualPrefix(host, address);
  const short = host.name.split(".")[0] ?? "";
  const naming: Naming = {
    own: keyOf(prefix, "host", "host"),
    keyOf: (list, name) => keyOf(prefix, list, name),
    on: (name) => `${name} on ${short || address}`,
  };
  const poolOf = new Map(host.pools.flatMap((pool) => pool.paths.map((path) => [path, pool.name] as const)));
  const disks = new Map(host.machines.flatMap((one) => one.disks.map((disk) => [disk.source, { disk, machine: one }])));
  return [
    observeHost(host, address, short, naming),
    ...host.pools.map((pool): Observation => ({
      ...told,
      keys: [{ value: naming.keyOf("pools", pool.name), strength: 3 }],
      kind: sure("storage.pool", "a virtualisation host keeps disks in it"),
      name: pool.name,
      nameElse: naming.on(pool.name),
      facts: facts({ state: pool.state, "capacity GiB": pool.capacity ? (pool.capacity / GIB).toFixed(0) : "" }),
      relations: [{ type: "hosted-by", to: naming.own, detail: "" }],
    })),
    ...host.networks.map((network): Observation => ({
      ...told,
      keys: [{ value: naming.keyOf("networks", network.name), strength: 3 }],
      kind: sure("net.virtual", "a virtualisation host switches it"),
      name: network.name,
      nameElse: naming.on(network.name),
      facts: facts({ state: network.state, bridge: network.bridge }),
      relations: [{ type: "hosted-by", to: naming.own, detail: "" }],
    })),
    ...[...disks.values()].map(({ disk, machine }) => observeDisk(disk, machine, poolOf.get(disk.source), naming)),
    ...host.machines.map((machine) => observeMachine(machine, host, naming)),
  ];
}

function observeHost(host: VirtualHost, address: string, short: string, { own }: Naming): Observation {
  const canonical = canonicalAddress(address);
  return {
    ...told,
    keys: [
      { value: own, strength: 3 },
      ...(host.uuid ? [identityKey("machine", host.uuid)] : []),
      ...[...new Set([host.name, short])].filter(Boolean).map((one) => identityKey("name", one)),
      ...(canonical ? [identityKey("addr", canonical)] : []),
    ],
    kind: sure("host.hypervisor", "it runs virtual machines"),
    name: short || address,
    ...(canonical ? { address: canonical } : {}),
    facts: facts({
      hypervisor: host.version,
      processors: host.processors,
      "memory GiB": host.memory ? (host.memory / GIB).toFixed(0) : "",
    }),
  };
}

function observeMachine(one: VirtualMachine, { networks }: VirtualHost, naming: Naming): Observation {
  return {
    ...told,
    keys: [
      { value: naming.keyOf("machines", one.uuid), strength: 3 },
      identityKey("machine", one.uuid),
      ...one.ports
        .filter(({ mac }) => /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(mac))
        .map(({ mac }) => identityKey("mac", mac)),
      identityKey("name", one.name.toLowerCase()),
    ],
    kind: { is: "host.instance", reason: "a virtualisation host runs it", confidence: 0.5 },
    name: one.name,
    nameElse: naming.on(one.name),
    facts: facts({
      state: one.state,
      processors: one.processors,
      "memory MiB": Math.round(one.memoryMost / MIB),
      id: one.uuid,
      interfaces: one.ports.length,
      disks: one.disks.length,
    }),
    relations: [
      { type: "hosted-by", to: naming.own, detail: "" },
      ...one.disks.map((disk) => ({ type: "stored-on" as const, to: naming.keyOf("disks", disk.source), detail: "" })),
      ...[...new Set(one.ports.map(({ network }) => network))]
        .filter((name) => networks.some((each) => each.name === name))
        .map((name) => ({ type: "wired-to" as const, to: naming.keyOf("networks", name), detail: "" })),
    ],
  };
}

function observeDisk(
  disk: VirtualDisk,
  machine: VirtualMachine,
  pool: string | undefined,
  { own, keyOf: keyIn, on }: Naming,
): Observation {
  const name = `${machine.name}-${disk.target}`;
  return {
    ...told,
    keys: [{ value: keyIn("disks", disk.source), strength: 3 }],
    kind: sure("storage.volume", "a virtual machine has it as a disk"),
    name,
    nameElse: on(name),
    facts: facts({ path: disk.source, "size GiB": disk.capacity ? (disk.capacity / GIB).toFixed(0) : "" }),
    relations: [
      pool === undefined
        ? { type: "hosted-by", to: own, detail: "" }
        : { type: "part-of", to: keyIn("pools", pool), detail: "" },
    ],
  };
}

/** Counters that begin anew, or looks too close together, say nothing. */
const LEAST_MS = 1_000;

/** What a host and its machines do: levels as they stand, and rates since the look before. */
export function virtualFigures(
  now: { host: VirtualHost; atMs: number },
  before: { host: VirtualHost; atMs: number } | undefined,
  address: string,
): VirtualFigure[] {
  const { host } = now;
  const prefix = virtualPrefix(host, address);
  const figures: VirtualFigure[] = [];
  const put = (key: string, metric: string, unit: string, value: number | undefined, instance = "") => {
    if (value !== undefined && Number.isFinite(value)) figures.push({ key, metric, instance, unit, value });
  };
  const seconds = before ? (now.atMs - before.atMs) / 1000 : 0;
  const isFresh = before !== undefined && now.atMs - before.atMs >= LEAST_MS;
  const rate = (value: number | undefined, earlier: number | undefined) =>
    isFresh && value !== undefined && earlier !== undefined && value >= earlier
      ? (value - earlier) / seconds
      : undefined;
  const earlierOf = new Map(before?.host.machines.map((one) => [one.uuid, one]));
  const own = keyOf(prefix, "host", "host");
  const running = host.machines.filter((one) => one.isRunning);
  put(own, "guests.running", "1", running.length);
  if (host.processors) put(own, "cpu.allotted", "%", (100 * addUp(running, (one) => one.processors)) / host.processors);
  if (host.memory) put(own, "memory.allotted", "%", (100 * addUp(running, (one) => one.memory)) / host.memory);
  for (const one of host.machines) {
    const key = keyOf(prefix, "machines", one.uuid);
    put(key, "guest.running", "0/1", Number(one.isRunning));
    if (one.isRunning) for (const figure of ofMachine(one, earlierOf.get(one.uuid), rate)) put(key, ...figure);
  }
  const pairs = running.flatMap((one) => {
    const earlier = earlierOf.get(one.uuid);
    return one.disks.map((disk) => ({ disk, earlier: earlier?.disks.find((each) => each.source === disk.source) }));
  });
  for (const pair of pairs)
    for (const figure of ofDisks([pair], rate)) put(keyOf(prefix, "disks", pair.disk.source), ...figure);
  for (const pool of host.pools) {
    const key = keyOf(prefix, "pools", pool.name);
    if (pool.capacity) put(key, "volume.used", "%", (100 * pool.allocation) / pool.capacity);
    const inside = pairs.filter(({ disk }) => pool.paths.includes(disk.source));
    if (inside.length) for (const figure of ofDisks(inside, rate)) put(key, ...figure);
  }
  for (const { name } of host.networks)
    for (const figure of ofPorts(portsAt(running, earlierOf, name), rate))
      put(keyOf(prefix, "networks", name), ...figure);
  return figures;
}

type Rate = (value: number | undefined, earlier: number | undefined) => number | undefined;
type Told = [metric: string, unit: string, value: number | undefined];

function ofMachine(one: VirtualMachine, earlier: VirtualMachine | undefined, rate: Rate): Told[] {
  const share = (ns: number | undefined) =>
    ns === undefined || one.processors === 0 ? undefined : Math.min(100, ns / 1e7 / one.processors);
  const pairs = one.disks.map((disk) => ({
    disk,
    earlier: earlier?.disks.find((each) => each.source === disk.source),
  }));
  const sum = (of: (disk: VirtualDisk) => number) =>
    addRates(pairs.map((pair) => rate(of(pair.disk), pair.earlier && of(pair.earlier))));
  const net = (of: (port: VirtualPort) => number) =>
    addRates(
      one.ports.map((port) => {
        const same = earlier?.ports.find((each) => each.name === port.name);
        return rate(of(port), same && of(same));
      }),
    );
  return [
    ["guest.cpu.used", "%", share(rate(one.cpuNs, earlier?.cpuNs))],
    ["guest.cpu.ready", "%", share(rate(one.delayNs, earlier?.delayNs))],
    ["guest.memory", "By", one.memory],
    [
      "guest.memory.used",
      "%",
      one.unused === undefined || one.memory === 0 ? undefined : (100 * (one.memory - one.unused)) / one.memory,
    ],
    ["guest.memory.touched", "By", one.unused === undefined ? undefined : one.memory - one.unused],
    ["guest.memory.backed", "By", one.backed],
    ["guest.memory.overhead", "By", one.backed === undefined ? undefined : Math.max(0, one.backed - one.memory)],
    ["guest.memory.ballooned", "By", Math.max(0, one.memoryMost - one.memory)],
    ["guest.disk.read", "By/s", sum((disk) => disk.readBytes)],
    ["guest.disk.written", "By/s", sum((disk) => disk.writtenBytes)],
    ["guest.net.in", "bit/s", net((port) => port.received * 8)],
    ["guest.net.out", "bit/s", net((port) => port.sent * 8)],
  ];
}

/** A sum of rates; none where nothing has one. */
const addRates = (rates: readonly (number | undefined)[]): number | undefined => {
  const known = rates.filter((one) => one !== undefined);
  return known.length ? addUp(known, (one) => one) : undefined;
};

/** Reads, writes and their mean latency over some disks. */
function ofDisks(pairs: readonly { disk: VirtualDisk; earlier: VirtualDisk | undefined }[], rate: Rate): Told[] {
  const of = (field: "reads" | "writes" | "ns") =>
    addRates(pairs.map(({ disk, earlier }) => rate(disk[field], earlier?.[field])));
  const [reads, writes, ns] = [of("reads"), of("writes"), of("ns")];
  const operations = (reads ?? 0) + (writes ?? 0);
  return [
    ["volume.reads", "1/s", reads],
    ["volume.writes", "1/s", writes],
    ["volume.latency", "ms", ns === undefined || operations === 0 ? undefined : ns / 1e6 / operations],
  ];
}

const portsAt = (running: readonly VirtualMachine[], earlierOf: ReadonlyMap<string, VirtualMachine>, network: string) =>
  running.flatMap((one) =>
    one.ports
      .filter((port) => port.network === network)
      .map((port) => ({
        port,
        earlier: earlierOf.get(one.uuid)?.ports.find((each) => each.name === port.name),
      })),
  );

/** Traffic of a virtual switch, seen from itself: what its ports sent comes in. */
function ofPorts(pairs: readonly { port: VirtualPort; earlier: VirtualPort | undefined }[], rate: Rate): Told[] {
  const of = (value: (port: VirtualPort) => number) =>
    addRates(pairs.map(({ port, earlier }) => rate(value(port), earlier && value(earlier))));
  return [
    ["net.ports", "1", pairs.length],
    ["net.in", "bit/s", of((port) => port.sent * 8)],
    ["net.out", "bit/s", of((port) => port.received * 8)],
    ["net.errors", "1/s", of((port) => port.errors)],
    ["net.discards", "1/s", of((port) => port.discards)],
  ];
}
