import type { Sections } from "../../estate/linux";

/** One machine of a virtualisation host, with its counters as they stand. */
export interface VirtualMachine {
  uuid: string;
  name: string;
  state: string;
  isRunning: boolean;
  processors: number;
  /** Most that it may have, and what it has, bytes. */
  memoryMost: number;
  memory: number;
  /** What its system has not touched, and what the host backs of it, bytes. */
  unused: number | undefined;
  backed: number | undefined;
  /** Nanoseconds of processor time, and of all its processors waiting for one of the host's. */
  cpuNs: number;
  delayNs: number | undefined;
  ports: VirtualPort[];
  disks: VirtualDisk[];
}

export interface VirtualPort {
  name: string;
  mac: string;
  /** Network or bridge that it is plugged into. */
  network: string;
  received: number;
  sent: number;
  errors: number;
  discards: number;
}

export interface VirtualDisk {
  /** Name in the machine, and file or device that it is kept in. */
  target: string;
  source: string;
  reads: number;
  writes: number;
  readBytes: number;
  writtenBytes: number;
  /** Time that all reads and writes took, nanoseconds. */
  ns: number;
  capacity: number | undefined;
}

export interface VirtualPool {
  name: string;
  state: string;
  capacity: number;
  allocation: number;
  /** Files or devices in it. */
  paths: string[];
}

/** What a host that runs virtual machines tells of them. */
export interface VirtualHost {
  name: string;
  uuid: string;
  version: string;
  processors: number;
  memory: number;
  machines: VirtualMachine[];
  networks: { name: string; state: string; bridge: string }[];
  pools: VirtualPool[];
  /** Every list was given, with each machine of it: what is not in them is gone. */
  isWhole: boolean;
}

const MOST_MACHINES = 2_000;
const KIB = 1024;
/** What the script prints for a list that was not given. */
const NOT_LISTED = "!";
const lines = (text: string | undefined) => (text ?? "").split("\n").filter((line) => line.trim() !== "");

/** "CPU(s):              16" of the tool's pages of names and values. */
function valuesOf(text: string): Map<string, string> {
  const values = new Map<string, string>();
  for (const line of lines(text)) {
    const at = line.indexOf(":");
    if (at > 0) values.set(line.slice(0, at).trim(), line.slice(at + 1).trim());
  }
  return values;
}

/** Blocks of a section that each begin with "@name". */
function blocksOf(text: string | undefined): [name: string, text: string][] {
  return (text ?? "")
    .split(/^@/m)
    .slice(1)
    .map((block) => {
      const end = block.indexOf("\n");
      return end < 0 ? [block.trim(), ""] : [block.slice(0, end).trim(), block.slice(end + 1)];
    });
}

/** Rows of a table below its rule of hyphens, cut at runs of blanks. */
const rowsOf = (text: string): string[][] => {
  const all = lines(text);
  const rule = all.findIndex((line) => /^-{5,}/.test(line.trim()));
  return rule < 0 ? [] : all.slice(rule + 1).map((line) => line.trim().split(/\s{2,}/));
};

const numberIn = (text: string | undefined): number => Number(/-?\d+(?:\.\d+)?/.exec(text ?? "")?.[0] ?? 0);
const kib = (text: string | undefined) => numberIn(text) * KIB;

/** Reads what the script of `server/sources/virtual/script.ts` prints. */
export function readVirtualHost(sections: Sections): VirtualHost {
  const node = valuesOf(sections.get("node") ?? "");
  const stats = statsOf(sections.get("stats"));
  const listed = (list: string) => blocksOf(sections.get(list)).filter(([name]) => name !== NOT_LISTED);
  const given = listed("machines");
  const machines = given.slice(0, MOST_MACHINES).flatMap(([uuid, text]) => machineOf(uuid, text, stats) ?? []);
  return {
    name: lines(sections.get("name"))[0]?.trim().toLowerCase() ?? "",
    uuid: (/[0-9a-f]{8}-(?:[0-9a-f]{4}-){3}[0-9a-f]{12}/i.exec(sections.get("uuid") ?? "")?.[0] ?? "").toLowerCase(),
    version: /Running hypervisor:\s*(.+)/.exec(sections.get("version") ?? "")?.[1]?.trim() ?? "",
    processors: numberIn(node.get("CPU(s)")),
    memory: kib(node.get("Memory size")),
    machines,
    networks: listed("networks").map(([name, text]) => {
      const values = valuesOf(text);
      return {
        name,
        state: values.get("Active") === "yes" ? "active" : "inactive",
        bridge: values.get("Bridge") ?? "",
      };
    }),
    pools: listed("pools").map(([name, text]) => poolOf(name, text)),
    isWhole:
      machines.length === given.length &&
      ["machines", "networks", "pools"].every((list) =>
        blocksOf(sections.get(list)).every(([name]) => name !== NOT_LISTED),
      ),
  };
}

/** "Domain: 'test'" and then "  cpu.time=5": by name of the machine. */
function statsOf(text: string | undefined): Map<string, Map<string, string>> {
  const all = new Map<string, Map<string, string>>();
  let own: Map<string, string> | undefined;
  for (const line of lines(text)) {
    const name = /^Domain: '(.*)'/.exec(line)?.[1];
    if (name !== undefined) all.set(name, (own = new Map()));
    else {
      const at = line.indexOf("=");
      if (own && at > 0) own.set(line.slice(0, at).trim(), line.slice(at + 1).trim());
    }
  }
  return all;
}

function machineOf(
  uuid: string,
  text: string,
  all: ReadonlyMap<string, ReadonlyMap<string, string>>,
): VirtualMachine | undefined {
  const info = valuesOf(text.split(/^#/m)[0] ?? "");
  const name = info.get("Name");
  if (name === undefined) return undefined;
  const stats = all.get(name) ?? new Map<string, string>();
  const stat = (key: string) => (stats.has(key) ? numberIn(stats.get(key)) : undefined);
  const part = (mark: string) => text.split(new RegExp(`^#${mark}$`, "m"))[1]?.split(/^#/m)[0] ?? "";
  const processors = stat("vcpu.current") ?? numberIn(info.get("CPU(s)"));
  const delays = Array.from({ length: processors }, (_, index) => stat(`vcpu.${index}.delay`));
  const most = stat("balloon.maximum");
  const current = stat("balloon.current");
  const state = (info.get("State") ?? "").trim();
  return {
    uuid: uuid.toLowerCase(),
    name,
    state,
    isRunning: state === "running",
    processors,
    memoryMost: most === undefined ? kib(info.get("Max memory")) : most * KIB,
    memory: current === undefined ? kib(info.get("Used memory")) : current * KIB,
    unused: times(stat("balloon.unused"), KIB),
    backed: times(stat("balloon.rss"), KIB),
    cpuNs: stat("cpu.time") ?? numberIn(info.get("CPU time")) * 1e9,
    delayNs: delays.some((one) => one === undefined)
      ? undefined
      : delays.reduce<number>((sum, one) => sum + (one ?? 0), 0),
    ports: portsOf(rowsOf(part("ports")), stat, stats),
    disks: disksOf(rowsOf(part("disks")), stat, stats),
  };
}

const times = (value: number | undefined, by: number) => (value === undefined ? undefined : value * by);

/** Index of a device among the numbered ones of the statistics, by its name. */
function placeIn(stats: ReadonlyMap<string, string>, group: "net" | "block", name: string, otherwise: number): number {
  for (let index = 0; index < 64; index++) if (stats.get(`${group}.${index}.name`) === name) return index;
  return otherwise;
}

function portsOf(
  rows: readonly string[][],
  stat: (key: string) => number | undefined,
  stats: ReadonlyMap<string, string>,
): VirtualPort[] {
  return rows.map(([name = "", , network = "", , mac = ""], index) => {
    const at = placeIn(stats, "net", name, index);
    const of = (key: string) => stat(`net.${at}.${key}`) ?? 0;
    return {
      name,
      mac: mac.toLowerCase(),
      network,
      received: of("rx.bytes"),
      sent: of("tx.bytes"),
      errors: of("rx.errs") + of("tx.errs"),
      discards: of("rx.drop") + of("tx.drop"),
    };
  });
}

function disksOf(
  rows: readonly string[][],
  stat: (key: string) => number | undefined,
  stats: ReadonlyMap<string, string>,
): VirtualDisk[] {
  return rows.flatMap(([, device = "", target = "", source = ""], index) => {
    if (source === "" || source === "-" || device === "cdrom" || device === "floppy") return [];
    const at = placeIn(stats, "block", target, index);
    const of = (key: string) => stat(`block.${at}.${key}`) ?? 0;
    return [
      {
        target,
        source,
        reads: of("rd.reqs"),
        writes: of("wr.reqs"),
        readBytes: of("rd.bytes"),
        writtenBytes: of("wr.bytes"),
        ns: of("rd.times") + of("wr.times"),
        capacity: stat(`block.${at}.capacity`),
      },
    ];
  });
}

function poolOf(name: string, text: string): VirtualPool {
  const values = valuesOf(text.split(/^#/m)[0] ?? "");
  const volumes = text.split(/^#volumes$/m)[1] ?? "";
  return {
    name,
    state: values.get("State") ?? "",
    capacity: numberIn(values.get("Capacity")),
    allocation: numberIn(values.get("Allocation")),
    paths: rowsOf(volumes).flatMap(([, path]) => path ?? []),
  };
}
