import type { HostPoll } from "#core/telemetry/poll";
import { uuidOf, type HostView } from "./host-view";

const MARK = "\x1e";

/** Names of the sections that a script asks for, one a line: "s memory; cat /proc/meminfo". None where it is no such script. */
export const sectionsAsked = (line: string): string[] =>
  [...line.matchAll(/^s ([a-z]+)(?:;|$)/gm)].map((one) => one[1] as string);

/** Ticks of each processor since a host was first looked at this way: the kernel counts, the world knows loads. */
const counted = new WeakMap<HostView, { atMs: number; busy: number[]; idle: number[] }>();

function ticksOf(host: HostView, loads: readonly number[], atMs: number): { busy: number; idle: number }[] {
  let known = counted.get(host);
  if (!known || known.busy.length !== loads.length || atMs < known.atMs)
    counted.set(host, (known = { atMs: host.upSinceMs(), busy: loads.map(() => 0), idle: loads.map(() => 0) }));
  const hundredths = (atMs - known.atMs) / 10;
  loads.forEach((load, core) => {
    (known.busy[core] as number) += (hundredths * load) / 100;
    (known.idle[core] as number) += (hundredths * (100 - load)) / 100;
  });
  known.atMs = atMs;
  return loads.map((_, core) => ({
    busy: Math.round(known.busy[core] as number),
    idle: Math.round(known.idle[core] as number),
  }));
}

const kib = (bytes: number) => Math.round(bytes / 1024);

function memory({ storage }: HostPoll): string {
  const ram = storage.find((row) => row.type === "ram");
  if (!ram) return "";
  const cached = storage
    .filter((row) => row.type === "other" && /buffers|cached/i.test(row.label))
    .reduce((sum, row) => sum + row.usedBytes, 0);
  const free = ram.sizeBytes - ram.usedBytes;
  return `MemTotal: ${kib(ram.sizeBytes)} kB\nMemFree: ${kib(free)} kB\nMemAvailable: ${kib(free + cached)} kB\nCached: ${kib(cached)} kB`;
}

function sockets(host: HostView, atMs: number): string {
  const names = new Map(host.software(atMs).map((row) => [row.pid, row.name]));
  const owner = (pid: number) => `users:(("${names.get(pid) ?? ""}",pid=${pid},fd=3))`;
  return [
    ...host.listeners(atMs).map((one) => `LISTEN 0 511 ${one.address}:${one.port} 0.0.0.0:* ${owner(one.pid)}`),
    ...host
      .connections(atMs)
      .map(
        (one) =>
          `ESTAB 0 0 ${one.localAddress}:${one.localPort} ${one.remoteAddress}:${one.remotePort} ${owner(one.pid)}`,
      ),
  ].join("\n");
}

/** What a Linux host of the world prints for each section of a script that looks at it. */
const PRINTED: Readonly<Record<string, (host: HostView, atMs: number, poll: HostPoll) => string>> = {
  kernel: () => "Linux 6.1.0 x86_64",
  name: (host) => host.fullName,
  os: (host) => `PRETTY_NAME="${host.world.scenario.organisation.maker} Linux 9"`,
  hardware: (host) => `product_uuid=${uuidOf(host.machine)}\nproduct_serial=\nproduct_name=\nsys_vendor=`,
  processors: (host) => String(host.world.coresOf(host.machine)),
  addresses: (host) => `2: eth0    inet ${host.address}/24 scope global eth0`,
  interfaces: (host) =>
    host
      .interfaceRows()
      .map(
        (row) =>
          `${row.name} ${row.physAddress || "00:00:00:00:00:00"} ${row.up ? "up" : "down"} ${row.speedBps / 1e6}`,
      )
      .join("\n"),
  processes: (host, atMs) =>
    host
      .software(atMs)
      .map((row) =>
        `${row.pid} 1 ${row.path.startsWith("/opt/") ? row.name : "root"} ${row.path || `[${row.name}]`} ${row.parameters}`.trim(),
      )
      .join("\n"),
  names: (host, atMs) =>
    host
      .software(atMs)
      .map((row) => `${row.pid} ${row.name.slice(0, 15)}`)
      .join("\n"),
  executables: (host, atMs) =>
    host
      .software(atMs)
      .filter((row) => row.path)
      .map((row) => `lrwxrwxrwx 1 root root 0 /proc/${row.pid}/exe -> ${row.path}`)
      .join("\n"),
  groups: (host, atMs) =>
    host
      .software(atMs)
      .map(
        (row) =>
          `/proc/${row.pid}/cgroup:0::/system.slice/${row.container ? `container-${row.container}.scope` : `${row.name}.service`}`,
      )
      .join("\n"),
  sockets,
  memory: (_host, _atMs, poll) => memory(poll),
  mounts: (_host, _atMs, poll) =>
    poll.storage
      .filter((row) => row.type === "disk")
      .map((row, index) => `/dev/vd${"abcdefgh"[index]}1 ${row.label} ext4 rw 0 0`)
      .join("\n"),
  disks: (_host, _atMs, poll) =>
    poll.storage
      .filter((row) => row.type === "disk")
      .map(
        (row, index) =>
          `/dev/vd${"abcdefgh"[index]}1 ${kib(row.sizeBytes)} ${kib(row.usedBytes)} ${kib(row.sizeBytes - row.usedBytes)} ${Math.round((100 * row.usedBytes) / row.sizeBytes)}% ${row.label}`,
      )
      .join("\n"),
  packages: (host, atMs) =>
    host.stations.map((station) => `${station.spec.name} ${host.versionOf(station, atMs)}`).join("\n"),
  files: (host) => host.stations.map(({ spec }) => `${spec.name}: /opt/${spec.name}/bin/${spec.name}`).join("\n"),
  stat: (host, atMs, poll) =>
    ticksOf(host, poll.processorLoads, atMs)
      .map(({ busy, idle }, core) => `cpu${core} ${busy} 0 0 ${idle} 0 0 0 0 0 0`)
      .join("\n"),
  traffic: (_host, _atMs, poll) =>
    poll.interfaces
      .map((row) => `${row.name}: ${row.inOctets} 0 ${row.errors} 0 0 0 0 0 ${row.outOctets} 0 0 0 0 0 0 0`)
      .join("\n"),
  devices: (_host, _atMs, { devices = [] }) =>
    devices
      .map(
        ({ name, reads, writes, busyMicroseconds }, index) =>
          `254 ${index * 16} ${name} ${reads} 0 0 0 ${writes} 0 0 0 0 ${Math.round(busyMicroseconds / 1000)} 0`,
      )
      .join("\n"),
  clock: (host, atMs) => String(Math.floor(host.clockAt(atMs) / 1000)),
  use: (host, atMs) =>
    host
      .software(atMs)
      .map((row) => `${row.pid} ${kib(row.memoryBytes)} ${Math.round(row.cpuHundredths / 100)}`)
      .join("\n"),
};

export function printSections(host: HostView, names: readonly string[], atMs: number): string {
  const poll = host.poll(atMs);
  return names.map((name) => `${MARK}${name}\n${PRINTED[name]?.(host, atMs, poll) ?? ""}\n`).join("");
}
