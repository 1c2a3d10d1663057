import { wander } from "../rhythm";
import { isOpen, isUnmet, tried, workersOf } from "./calls";
import type { Modifiers } from "./effects";
import type { Call, Layout, Load, Operation, Station, Way } from "./layout";
import { carries } from "./network";
import type { State } from "./state";

/** What was kept is sent once fewer fail than this, over about so long. */
const WELL_AGAIN = 0.1;
const CATCH_UP_SECONDS = 40;

/**
 * The requests of an instant on their way down the calls: what comes in from outside, and what each process then asks of
 * others. What failed is tried again, so that an overload can feed itself (Bronson et al., Metastable Failures, HotOS 2021).
 */
export class Flow {
  /** Requests a second that each disk is asked for. */
  readonly asked: Float64Array;

  constructor(private readonly layout: Layout) {
    this.asked = new Float64Array(layout.disks.length);
  }

  /**
   * Requests from callers to called.
   *
   * @param seconds of the step: what waits is worked off within it where there is room
   */
  pass(state: State, mods: Modifiers, seconds: number): void {
    const { operation, station, way, queue } = state;
    this.asked.fill(0);
    operation.arrivals.set(operation.carried);
    operation.carried.fill(0);
    way.perSecond.fill(0);
    way.keptPerSecond.fill(0);
    queue.inPerSecond.fill(0);
    state.link.bytesPerSecond.fill(0);
    const { otherBytesPerSecond, inBytesPerSecond, outBytesPerSecond } = state.machine;
    inBytesPerSecond.set(otherBytesPerSecond);
    for (let at = 0; at < outBytesPerSecond.length; at++)
      outBytesPerSecond[at] = (otherBytesPerSecond[at] as number) * 0.8;
    for (const load of this.layout.loads) this.admit(load, state, mods);
    for (const one of this.layout.stations) this.serve(one, state, mods, seconds);
    this.jobs(state);
    for (const one of this.layout.stations) {
      const at = one.index;
      let cores = 0;
      if (station.running[at]) {
        for (const each of one.operations)
          cores +=
            ((operation.finished[each.index] as number) * each.spec.cpuMs * (mods.cpuTimes[each.index] as number)) /
            1000;
        cores += one.spec.cpu * one.machine.rhythm.level(state.atMs);
        for (const job of this.layout.jobs)
          if (job.station === one && (state.job.rowsPerSecond[job.index] as number) > 0) {
            cores += job.spec.cores;
            if (one.disk)
              this.asked[one.disk.index] =
                (this.asked[one.disk.index] as number) + job.spec.diskShare * one.disk.spec.perSecond;
          }
      }
      station.cores[at] = cores;
    }
  }

  /** What comes in from outside, shared among the instances that can be reached. */
  private admit(load: Load, state: State, mods: Modifiers): void {
    const { spec, index, targets } = load;
    const level = load.rhythm.level(state.atMs);
    const usual =
      ((spec.perHour[0] + (spec.perHour[1] - spec.perHour[0]) * level) / 3600) *
      (1 + 0.06 * wander(load.seed, state.atMs, 90_000) + 0.04 * wander(load.seed + 1, state.atMs, 11 * 60_000)) *
      (mods.loadTimes[index] as number);
    let [open, response] = [0, 0];
    for (const one of targets) {
      if (!isOpen(one, state)) continue;
      open++;
      response += Math.min(spec.timeoutSeconds, state.operation.responseSeconds[one.index] as number);
    }
    if (open) response /= open;
    // People at desks ask again when they have their answer.
    const wanted = spec.by === "desks" ? (usual * spec.thinkSeconds) / (spec.thinkSeconds + response) : usual;
    state.load.wanted[index] = wanted;
    const total = wanted * (state.load.attempts[index] as number);
    state.load.perSecond[index] = total;
    if (!open) return;
    const each = total / open;
    for (const one of targets) {
      if (!isOpen(one, state)) continue;
      state.operation.arrivals[one.index] = (state.operation.arrivals[one.index] as number) + each;
      this.carry(state, one.station.machine.entrance, one, each);
    }
  }

  private carry(state: State, links: Way["links"], target: Operation, perSecond: number, from?: Station): void {
    const bytes = perSecond * target.spec.carriesKiB * 1024;
    for (const link of links)
      state.link.bytesPerSecond[link.index] = (state.link.bytesPerSecond[link.index] as number) + bytes;
    const { inBytesPerSecond, outBytesPerSecond } = state.machine;
    const at = target.station.machine.index;
    inBytesPerSecond[at] = (inBytesPerSecond[at] as number) + bytes * 0.35;
    outBytesPerSecond[at] = (outBytesPerSecond[at] as number) + bytes * 0.65;
    if (!from) return;
    inBytesPerSecond[from.machine.index] = (inBytesPerSecond[from.machine.index] as number) + bytes * 0.65;
    outBytesPerSecond[from.machine.index] = (outBytesPerSecond[from.machine.index] as number) + bytes * 0.35;
  }

  private serve(one: Station, state: State, mods: Modifiers, seconds: number): void {
    const { station, operation } = state;
    const at = one.index;
    let arrivals = 0;
    for (const each of one.operations) arrivals += operation.arrivals[each.index] as number;
    station.arrivals[at] = arrivals;
    const workers = workersOf(one, mods);
    const running = station.running[at] === 1 && workers > 0;
    const capacity = running ? workers / Math.max(1e-6, station.holdSeconds[at] as number) : 0;
    const waiting = (station.backlog[at] as number) / seconds;
    const possible = Math.min(arrivals + waiting, capacity);
    // What no longer fits behind those that wait is turned away.
    const room = running ? Math.max(0, (one.spec.queue - (station.backlog[at] as number)) / seconds) : 0;
    const accepted = running ? Math.min(arrivals, possible + room) : 0;
    station.refused[at] = arrivals > 0 ? 1 - accepted / arrivals : 0;
    const finished = running ? Math.min(accepted + waiting, capacity) : 0;
    station.finished[at] = finished;
    for (const each of one.operations) {
      const { index } = each;
      if (arrivals > 1e-9) operation.share[index] = (operation.arrivals[index] as number) / arrivals;
      operation.finished[index] = finished * (operation.share[index] as number);
    }
    if (running) this.takeUp(one, state, mods, seconds, capacity - finished);
    for (const each of one.operations) {
      const done = operation.finished[each.index] as number;
      if (done <= 0) continue;
      if (one.disk && (each.spec.diskMs > 0 || each.spec.writeKiB > 0))
        this.asked[one.disk.index] =
          (this.asked[one.disk.index] as number) +
          done * (1 + each.spec.diskMs / 4) * (mods.diskTimes[each.index] as number);
      for (const call of each.calls) this.spread(call, done, state);
    }
  }

  /** A consumer takes from its queues what it has room for. */
  private takeUp(one: Station, state: State, mods: Modifiers, seconds: number, room: number): void {
    if (!one.takes.length || mods.stuck[one.index]) return;
    for (const queue of one.takes) {
      let [reached, active] = [0, 0];
      for (const broker of queue.brokers)
        if (state.station.running[broker.index] && this.reaches(one, broker, state)) reached++;
      for (const each of queue.consumers)
        if (state.station.running[each.station.index] && !mods.stuck[each.station.index]) active++;
      if (!active || !reached) continue;
      const share = reached / queue.brokers.length;
      const offered =
        ((state.queue.inPerSecond[queue.index] as number) + (state.queue.depth[queue.index] as number) / seconds) *
        (share / active);
      const taken = Math.max(0, Math.min(offered, room));
      const each = queue.consumers.find((consumer) => consumer.station === one);
      if (!each) continue;
      state.operation.arrivals[each.index] = (state.operation.arrivals[each.index] as number) + taken;
      state.operation.finished[each.index] = (state.operation.finished[each.index] as number) + taken;
      state.station.arrivals[one.index] = (state.station.arrivals[one.index] as number) + taken;
      state.station.finished[one.index] = (state.station.finished[one.index] as number) + taken;
      // Shares follow what is really done.
      const all = state.station.finished[one.index] as number;
      for (const other of one.operations)
        state.operation.share[other.index] = all > 0 ? (state.operation.finished[other.index] as number) / all : 0;
    }
  }

  private reaches(from: Station, to: Station, state: State): boolean {
    for (const pool of from.pools)
      for (const way of pool.ways)
        if (way.target === to) return carries(state, way.links) && state.machine.up[to.machine.index] === 1;
    return true;
  }

  /** Calls of finished requests, over the instances called, attempts included. */
  private spread(call: Call, perSecond: number, state: State): void {
    const { way, operation } = state;
    const { ways } = call.pool;
    let weights = 0;
    for (const one of ways) weights += way.weight[one.index] as number;
    let published = 0;
    for (let place = 0; place < ways.length; place++) {
      const one = ways[place] as Way;
      const target = call.targets[place] as Operation;
      const outcome = tried(one, target, state);
      const fresh = (perSecond * call.times * (way.weight[one.index] as number)) / weights;
      const late = call.pool.spec.onFail === "keep" ? this.keep(one, fresh, outcome.failed, state) : 0;
      const wanted = fresh + late;
      const attempts = wanted * outcome.attempts;
      way.perSecond[one.index] = (way.perSecond[one.index] as number) + attempts;
      published += wanted * (1 - outcome.failed);
      // An attempt that found nobody is nobody's load.
      if (isUnmet(way.reason[one.index] as number)) continue;
      this.carry(state, one.links, target, attempts, one.pool.station);
      const into = target.station.index > call.operation.station.index ? operation.arrivals : operation.carried;
      into[target.index] = (into[target.index] as number) + attempts;
    }
    if (call.queue)
      state.queue.inPerSecond[call.queue.index] = (state.queue.inPerSecond[call.queue.index] as number) + published;
  }

  /** Keeps calls that fail for later. @returns those kept before that are made now, a second */
  private keep(way: Way, perSecond: number, failed: number, state: State): number {
    const { kept, keptPerSecond } = state.way;
    const late = failed < WELL_AGAIN ? (kept[way.index] as number) / CATCH_UP_SECONDS : 0;
    keptPerSecond[way.index] = (keptPerSecond[way.index] as number) + perSecond * failed - late;
    return late;
  }

  /** Rows of the jobs that run, and what they call. */
  private jobs(state: State): void {
    const { job, way, operation } = state;
    for (const one of this.layout.jobs) {
      const { index, station } = one;
      const runs = (job.rowsLeft[index] as number) > 0 && state.station.running[station.index] === 1;
      if (!runs) {
        job.rowsPerSecond[index] = 0;
        continue;
      }
      let slower = state.machine.stretch[station.machine.index] as number;
      let well = 1;
      for (const call of one.calls) {
        let weights = 0;
        for (const each of call.pool.ways) weights += way.weight[each.index] as number;
        call.pool.ways.forEach((each, place) => {
          const target = call.targets[place] as Operation;
          const share = (way.weight[each.index] as number) / weights;
          const rate = ((job.rowsPerSecond[index] as number) / call.everyRows) * share;
          way.perSecond[each.index] = (way.perSecond[each.index] as number) + rate;
          operation.carried[target.index] = (operation.carried[target.index] as number) + rate;
          this.carry(state, each.links, target, rate, station);
          well -= (share * (way.failing[each.index] as number)) / one.calls.length;
          // A row waits for what it calls.
          slower += (share * (way.seconds[each.index] as number) * one.spec.rowsPerSecond) / call.everyRows / 8;
        });
      }
      if (station.disk) slower *= Math.max(1, (state.disk.slowdown[station.disk.index] as number) / 2);
      job.rowsPerSecond[index] = (one.spec.rowsPerSecond * Math.max(0, well)) / Math.max(1, slower);
      const bytes = (one.spec.megabytesPerSecond * 1e6) / Math.max(1, slower);
      const { outBytesPerSecond } = state.machine;
      outBytesPerSecond[station.machine.index] = (outBytesPerSecond[station.machine.index] as number) + bytes;
      for (const link of station.machine.entrance)
        state.link.bytesPerSecond[link.index] = (state.link.bytesPerSecond[link.index] as number) + bytes;
    }
  }
}
