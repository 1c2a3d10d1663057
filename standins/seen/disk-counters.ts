import type { Disk } from "../world/layout";
import type { World } from "../world/world";
import type { HostView } from "./host-view";

/** What a disk that is idle takes to answer, nanoseconds. */
const DISK_NS = 800_000;

/** Counters of a disk, which the world keeps as rates. */
export interface Counted {
  atMs: number;
  reads: number;
  writes: number;
  /** That operations waited and took, all added up, and in which the device was busy. */
  ns: number;
  busyNs: number;
}
/** What was not looked at for longer went on unseen: its rates of now say nothing of days. */
const LONGEST_SECONDS = 600;
/** By the world that lives them: the past is lived in a world of its own. */
const counted = new WeakMap<World, Map<Disk, Counted>>();

/** What a disk of a host has done up to an instant. */
export function countersOf(host: HostView, disk: Disk, atMs: number): Counted {
  const { state, mods } = host.world;
  let own = counted.get(host.world);
  if (!own) counted.set(host.world, (own = new Map()));
  const known = own.get(disk) ?? { atMs, reads: 0, writes: 0, ns: 0, busyNs: 0 };
  const seconds = Math.min(LONGEST_SECONDS, Math.max(0, atMs - known.atMs) / 1000);
  const busy = state.disk.busy[disk.index] as number;
  // A device that answers late does less in the same time.
  const perSecond = (busy * disk.spec.perSecond) / (mods.diskSlower[disk.index] as number);
  const slowdown = state.disk.slowdown[disk.index] as number;
  const now = {
    atMs: Math.max(atMs, known.atMs),
    reads: known.reads + perSecond * 0.6 * seconds,
    writes: known.writes + perSecond * 0.4 * seconds,
    ns: known.ns + perSecond * seconds * DISK_NS * slowdown,
    busyNs: known.busyNs + busy * seconds * 1e9,
  };
  own.set(disk, now);
  return now;
}

/** How the system calls the devices of a machine: those of a virtual one otherwise. */
export const deviceOf = (host: HostView, index: number): string =>
  `${host.machine.below ? "vd" : "sd"}${"abcdefghijklmnop"[index] ?? "z"}`;
