import { GIB, type Machine } from "../world/layout";
import { countersOf } from "./disk-counters";
import { hardwareOf, uuidOf, type HostView } from "./host-view";

const MARK = "\x1e";
const BLOCK = 8192;

/** Nanoseconds that machines waited for a processor of their host. */
const waited = new WeakMap<Machine, { atMs: number; ns: number }>();

/** Time of all its processors that it wanted to run and did not. */
function waitOf(host: HostView, guest: Machine, atMs: number): number {
  const known = waited.get(guest) ?? { atMs, ns: 0 };
  const seconds = Math.max(0, atMs - known.atMs) / 1000;
  const share = (host.world.state.machine.stolen[guest.index] as number) / 100;
  const now = { atMs, ns: known.ns + share * seconds * host.world.coresOf(guest) * 1e9 };
  waited.set(guest, now);
  return Math.round(now.ns);
}

const pathOf = (guest: Machine, index: number) => `/srv/machines/${guest.name}-${index}.img`;
const target = (index: number) => `vd${"abcdefgh"[index] ?? "z"}`;
const ENDS = "----------------";

/** What virsh prints on a hypervisor of the world, section by section. */
const PRINTED: Readonly<Record<string, (host: HostView, guests: readonly Machine[], atMs: number) => string>> = {
  version: () => "Using library: 9.0.0\nRunning hypervisor: QEMU 7.2.9",
  name: (host) => host.fullName,
  uuid: (host) => uuidOf(host.machine),
  node: (host) =>
    `CPU(s):              ${host.role.cores}\nMemory size:         ${host.role.memoryGiB * 1024 * 1024} KiB`,
  stats: (host, guests, atMs) => guests.map((guest) => statsOf(host, guest, atMs)).join("\n"),
  machines: (host, guests) =>
    guests
      .map((guest) => {
        const isUp = host.world.state.machine.up[guest.index] === 1;
        const memory = guest.role.memoryGiB * 1024 * 1024;
        return [
          `@${uuidOf(guest)}`,
          `Name:           ${guest.name}`,
          `State:          ${isUp ? "running" : "shut off"}`,
          `CPU(s):         ${host.world.coresOf(guest)}`,
          `Max memory:     ${memory} KiB`,
          `Used memory:    ${memory} KiB`,
          "#ports",
          ` Interface   Type      Source   Model    MAC\n${ENDS}`,
          ` vnet0       network   quay     virtio   ${hardwareOf(guest, 0)}`,
          "#disks",
          ` Type   Device   Target   Source\n${ENDS}`,
          ...guest.disks.map((_, index) => ` file   disk     ${target(index)}      ${pathOf(guest, index)}`),
        ].join("\n");
      })
      .join("\n"),
  networks: () => "@quay\nName:           quay\nActive:         yes\nBridge:         br0",
  pools: (_host, guests) => {
    const size =
      guests.reduce((sum, guest) => sum + guest.disks.reduce((all, one) => all + one.spec.sizeGiB, 0), 0) * GIB;
    return [
      "@quay-store",
      "Name:           quay-store",
      "State:          running",
      `Capacity:       ${Math.round(size * 1.4)}`,
      `Allocation:     ${Math.round(size * 0.82)}`,
      "#volumes",
      ` Name   Path\n${ENDS}`,
      ...guests.flatMap((guest) =>
        guest.disks.map((_, index) => ` ${guest.name}-${index}.img   ${pathOf(guest, index)}`),
      ),
    ].join("\n");
  },
};

function statsOf(host: HostView, guest: Machine, atMs: number): string {
  const { machine } = host.world.state;
  const since = host.world.since(atMs);
  const at = (column: "coreSeconds" | "cores" | "inBytes" | "inBytesPerSecond" | "outBytes" | "outBytesPerSecond") =>
    machine[column][guest.index] as number;
  if (machine.up[guest.index] !== 1)
    return `Domain: '${guest.name}'\n  state.state=5\n  vcpu.current=${host.world.coresOf(guest)}`;
  const memory = guest.role.memoryGiB * 1024 * 1024;
  const used = Math.round((machine.memoryBytes[guest.index] as number) / 1024);
  const delay = Math.round(waitOf(host, guest, atMs) / host.world.coresOf(guest));
  return [
    `Domain: '${guest.name}'`,
    "  state.state=1",
    `  cpu.time=${Math.round((at("coreSeconds") + at("cores") * since) * 1e9)}`,
    `  balloon.current=${memory}`,
    `  balloon.maximum=${memory}`,
    `  balloon.unused=${Math.max(0, memory - used)}`,
    `  balloon.rss=${Math.round(Math.max(used, memory * 0.6) * 1.03)}`,
    `  vcpu.current=${host.world.coresOf(guest)}`,
    ...Array.from({ length: host.world.coresOf(guest) }, (_, index) => `  vcpu.${index}.delay=${delay}`),
    "  net.count=1",
    "  net.0.name=vnet0",
    `  net.0.rx.bytes=${Math.round(at("inBytes") + at("inBytesPerSecond") * since)}`,
    "  net.0.rx.errs=0",
    `  net.0.rx.drop=${Math.round(machine.errors[guest.index] as number)}`,
    `  net.0.tx.bytes=${Math.round(at("outBytes") + at("outBytesPerSecond") * since)}`,
    "  net.0.tx.errs=0",
    "  net.0.tx.drop=0",
    `  block.count=${guest.disks.length}`,
    ...guest.disks.flatMap((disk, index) => {
      const { reads, writes, ns } = countersOf(host, disk, atMs);
      return [
        `  block.${index}.name=${target(index)}`,
        `  block.${index}.rd.reqs=${Math.round(reads)}`,
        `  block.${index}.rd.bytes=${Math.round(reads * BLOCK)}`,
        `  block.${index}.rd.times=${Math.round(ns * 0.6)}`,
        `  block.${index}.wr.reqs=${Math.round(writes)}`,
        `  block.${index}.wr.bytes=${Math.round(writes * BLOCK)}`,
        `  block.${index}.wr.times=${Math.round(ns * 0.4)}`,
        `  block.${index}.capacity=${disk.spec.sizeGiB * GIB}`,
      ];
    }),
  ].join("\n");
}

export function printVirtual(host: HostView, names: readonly string[], atMs: number): string {
  host.world.advance(atMs);
  const { up } = host.world.state.machine;
  const guests = host.machine.guests.filter((one) => one.sinceMs <= atMs && (!one.spare || up[one.index] === 1));
  return names
    .filter((name) => name !== "missing")
    .map((name) => `${MARK}${name}\n${PRINTED[name]?.(host, guests, atMs) ?? ""}\n`)
    .join("");
}
