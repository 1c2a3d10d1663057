import { scatter, wander } from "../rhythm";
import type { Modifiers } from "./effects";
import { GIB, MIB, type Disk, type Layout, type Machine, type Station } from "./layout";
import { stretchOf } from "./queueing";
import type { State } from "./state";

const MINUTE_MS = 60_000;
/** Share of its processors that a machine can put to use before everything queues. */
const USABLE = 0.97;
/** From this share of its memory on a host begins to page. */
const TIGHT = 0.94;

/** How busy a machine is beside what its processes are asked to do: percent, by the rhythm of its role. */
export function backgroundPercent(machine: Machine, atMs: number): number {
  const [low, high] = machine.role.cpu;
  const level = machine.rhythm.level(atMs);
  return (low + (high - low) * level) * (1 + 0.12 * wander(machine.seed + 17, atMs, 4 * MINUTE_MS));
}

/** Shares out the processors of every machine, and of hypervisors among their machines. */
export function settleProcessors(layout: Layout, state: State, mods: Modifiers, damping: number): void {
  const { machine, station } = state;
  for (const one of layout.machines) {
    if (one.role.system === "hypervisor") continue;
    const { index } = one;
    if (!machine.up[index]) {
      machine.cores[index] = machine.threads[index] = 0;
      continue;
    }
    const granted = one.below ? (machine.granted[index] as number) : 1;
    const size = mods.cores[index] as number;
    const cores = size * granted;
    let demand = (backgroundPercent(one, state.atMs) / 100) * one.role.cores;
    let spinning = mods.hog[index] as number;
    for (const each of one.stations) {
      if (!station.running[each.index]) continue;
      demand += station.cores[each.index] as number;
      spinning += mods.spin[each.index] as number;
    }
    const usable = cores * USABLE;
    const before = machine.stretch[index] as number;
    const target = Math.max(
      stretchOf(cores, demand) / granted,
      // Threads that spin get the same turns as everybody else's.
      spinning > 0 ? (spinning + demand) / Math.max(cores - demand, cores * 0.02) / granted : 1,
      demand > usable ? (before * demand) / usable : 1,
    );
    machine.stretch[index] = Math.min(5000, before + (target - before) * damping);
    machine.threads[index] = demand * (machine.stretch[index] as number) + spinning;
    const left = Math.min(spinning, Math.max(0, cores - Math.min(demand, usable)));
    machine.cores[index] = Math.min(cores, demand + left);
    for (const each of one.stations)
      station.spinCores[each.index] = spinning > 0 ? (left * (mods.spin[each.index] as number)) / spinning : 0;
  }
  for (const one of layout.machines) if (one.role.system === "hypervisor") settleHypervisor(one, state, mods, damping);
}

/** What its machines want to run shares its processors evenly; each waits for the rest of the time. */
function settleHypervisor(hypervisor: Machine, state: State, mods: Modifiers, damping: number): void {
  const { machine } = state;
  const { cores } = hypervisor.role;
  const own = (backgroundPercent(hypervisor, state.atMs) / 100) * cores;
  let wanted = own;
  for (const guest of hypervisor.guests)
    if (machine.up[guest.index])
      wanted += Math.min(mods.cores[guest.index] as number, machine.threads[guest.index] as number);
  const share = wanted > cores ? cores / wanted : 1 / stretchOf(cores, wanted);
  let used = own;
  for (const guest of hypervisor.guests) {
    const { index } = guest;
    const before = machine.granted[index] as number;
    machine.granted[index] = before + (Math.max(0.02, share) - before) * damping;
    const size = mods.cores[index] as number;
    const runnable = Math.min(size, machine.threads[index] as number) / size;
    const usual = 0.3 + 0.25 * wander(guest.seed + 2, state.atMs, 6 * MINUTE_MS);
    machine.stolen[index] = machine.up[index]
      ? Math.min(95, usual + 100 * runnable * (1 - (machine.granted[index] as number)))
      : 0;
    used += machine.cores[index] as number;
  }
  machine.cores[hypervisor.index] = machine.up[hypervisor.index] ? Math.min(cores, used) : 0;
  machine.threads[hypervisor.index] = wanted;
}

/** Memory of a process as it stands; what it leaks and what its requests hold count. */
export function memoryOf(one: Station, state: State): number {
  const { station } = state;
  const { index } = one;
  const base = one.spec.memoryMiB * MIB;
  let bytes =
    base * (1 + 0.06 * one.machine.rhythm.level(state.atMs) + 0.025 * wander(one.seed, state.atMs, 7 * MINUTE_MS));
  // A process that has just started has not filled its caches.
  const age = state.atMs - (station.startedAtMs[index] as number);
  if (age < 10 * MINUTE_MS) bytes *= 0.6 + (0.4 * Math.max(0, age)) / (10 * MINUTE_MS);
  const held = ((station.backlog[index] as number) + (station.busy[index] as number)) * one.spec.requestKiB * 1024;
  return Math.round((bytes + held + (station.leakBytes[index] as number)) / 4096) * 4096;
}

export const systemMemory = (one: Machine, atMs: number): number =>
  one.role.memoryGiB * GIB * (0.09 + 0.008 * wander(one.seed + 1, atMs, 23 * MINUTE_MS)) + 54 * MIB;

/**
 * Grows what leaks, adds up what is used, and pages where it is tight.
 *
 * @returns what the kernel kills, because its machine or its container has no memory left
 */
export function settleMemory(layout: Layout, state: State, mods: Modifiers, seconds: number): Station[] {
  const killed: Station[] = [];
  const { machine, station } = state;
  for (const one of layout.machines) {
    const { index } = one;
    if (!machine.up[index]) continue;
    const size = one.role.memoryGiB * GIB;
    if (one.role.system === "hypervisor") {
      let used = size * 0.05;
      for (const guest of one.guests) if (machine.up[guest.index]) used += guest.role.memoryGiB * GIB;
      machine.memoryBytes[index] = Math.min(size, used);
      continue;
    }
    let used = systemMemory(one, state.atMs);
    let largest: Station | undefined;
    for (const each of one.stations) {
      const at = each.index;
      station.memoryBytes[at] = station.running[at] ? memoryOf(each, state) : 0;
      used += station.memoryBytes[at] as number;
      if (!largest || (station.memoryBytes[at] as number) > (station.memoryBytes[largest.index] as number))
        largest = each;
    }
    for (const each of one.stations) {
      const at = each.index;
      if (!mods.leakTo[at] || !station.running[at]) continue;
      const full = ((mods.leakTo[at] as number) / 100) * size;
      const others = used - (station.leakBytes[at] as number);
      const grows = (Math.max(0, full - others) * seconds) / (mods.leakSeconds[at] as number);
      const more = Math.max(0, Math.min(full - used, grows));
      station.leakBytes[at] = (station.leakBytes[at] as number) + more;
      station.memoryBytes[at] = (station.memoryBytes[at] as number) + more;
      used += more;
    }
    machine.memoryBytes[index] = Math.min(size, used);
    const tight = Math.max(0, Math.min(1, (used / size - TIGHT) / (1 - TIGHT)));
    machine.paging[index] = 1 + 100 * tight ** 2;
    if (used >= size && largest) killed.push(largest);
  }
  for (const one of layout.stations) {
    if (!one.container || !station.running[one.index]) continue;
    if ((station.memoryBytes[one.index] as number) > (mods.quotaMemory[one.container.index] as number) * MIB)
      killed.push(one);
  }
  return killed;
}

/** How full a disk is, 0 to 1. */
export function fullness(disk: Disk, state: State, baseMs: number): number {
  const days = (state.atMs - baseMs) / 86_400_000;
  const usual =
    disk.spec.usedPercent + disk.spec.growPercentPerDay * days + 0.4 * wander(disk.seed, state.atMs, 180 * MINUTE_MS);
  return Math.min(
    1,
    Math.max(0, usual) / 100 + (state.disk.extraBytes[disk.index] as number) / (disk.spec.sizeGiB * GIB),
  );
}

/** From this share on nothing more can be written. */
export const NO_ROOM = 0.995;

/** Fills and slows disks. `asked` holds requests a second by disk. */
export function settleDisks(
  layout: Layout,
  state: State,
  mods: Modifiers,
  asked: Float64Array,
  baseMs: number,
  seconds: number,
): void {
  for (const disk of layout.disks) {
    const { index } = disk;
    const size = disk.spec.sizeGiB * GIB;
    const share = fullness(disk, state, baseMs);
    const to = mods.fillTo[index] as number;
    if (to > share && state.machine.up[disk.machine.index]) {
      const extra = state.disk.extraBytes[index] as number;
      const usual = share * size - extra;
      const grows = ((to * size - usual) * seconds) / (mods.fillSeconds[index] as number);
      state.disk.extraBytes[index] = Math.min(to * size - usual, extra + Math.max(0, grows));
    }
    state.disk.usedShare[index] = fullness(disk, state, baseMs);
    const busy = Math.min(
      0.985,
      ((asked[index] as number) / disk.spec.perSecond) * (mods.diskSlower[index] as number) +
        0.02 * scatter(disk.seed, Math.floor(state.atMs / 15_000)),
    );
    state.disk.busy[index] = busy;
    state.disk.slowdown[index] = (mods.diskSlower[index] as number) / (1 - busy);
  }
}
