import { wander } from "../rhythm";
import type { Modifiers } from "./effects";
import type { Call, Layout, Load, Operation, Station, Way } from "./layout";
import { NO_ROOM } from "./machines";
import { carries, crossing } from "./network";
import { attemptsOf, untilTimeout, waitGGc } from "./queueing";
import type { State } from "./state";

/** Why a request failed. */
export const REASON = {
  none: 0,
  refused: 1,
  noAnswer: 2,
  timedOut: 3,
  tooMany: 4,
  certificate: 5,
  closed: 6,
  peer: 7,
  clock: 8,
  noRoom: 9,
  busy: 10,
  own: 11,
  lost: 12,
} as const;

/** Whether an attempt found nobody to talk to. */
const isUnmet = (reason: number): boolean =>
  reason === REASON.refused || reason === REASON.noAnswer || reason === REASON.closed || reason === REASON.certificate;

/** Until it is known that nobody answers at an address. */
const CONNECT_SECONDS = 1;
/** Time in which a caller leaves out an instance that it cannot reach, and takes it up again. */
const FAILOVER_SECONDS = 8;
/** What was kept is sent once fewer fail than this, over about so long. */
const WELL_AGAIN = 0.1;
const CATCH_UP_SECONDS = 40;
/** Clocks may differ by so much before what a caller signs is refused. */
const CLOCK_SECONDS = 60;
/** Share of its workers up to which waiting is that of the steady state; beyond it the backlog says it. */
const STEADY = 0.985;

/**
 * The requests of an instant: what comes in from outside goes down the calls, and the time it takes comes back up them. A
 * caller's worker is taken while it waits for those it called (layered queueing: Rolia & Sevcik, The Method of Layers, 1995),
 * and what failed is tried again, so that an overload can feed itself (Bronson et al., Metastable Failures, HotOS 2021).
 */
export class Work {
  /** Requests a second that each disk is asked for. */
  readonly asked: Float64Array;
  /** What crossing the lines of each way costs in this step, and how often it fails. */
  private readonly crossSeconds: Float64Array;
  private readonly crossFailing: Float64Array;
  /** The answer of `meets` and `called`, so that none is made anew for every call. */
  private seconds = 0;
  private failing = 0;
  private reason = 0;
  private readonly scratch = { seconds: 0, failing: 0 };

  constructor(private readonly layout: Layout) {
    this.asked = new Float64Array(layout.disks.length);
    this.crossSeconds = new Float64Array(layout.ways.length);
    this.crossFailing = new Float64Array(layout.ways.length);
  }

  /**
   * Requests from callers to called.
   *
   * @param seconds of the step: what waits is worked off within it where there is room
   */
  flow(state: State, mods: Modifiers, seconds: number): void {
    const { operation, station, way, queue } = state;
    this.asked.fill(0);
    operation.arrivals.set(operation.carried);
    operation.carried.fill(0);
    way.perSecond.fill(0);
    way.keptPerSecond.fill(0);
    queue.inPerSecond.fill(0);
    state.link.bytesPerSecond.fill(0);
    state.machine.inBytesPerSecond.fill(0);
    state.machine.outBytesPerSecond.fill(0);
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
      if (!this.isOpen(one, state)) continue;
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
      if (!this.isOpen(one, state)) continue;
      state.operation.arrivals[one.index] = (state.operation.arrivals[one.index] as number) + each;
      this.carry(state, one.station.machine.entrance, one, each);
    }
  }

  /** Whether somebody outside comes to it: it runs, and its site's network leads there. */
  private isOpen(one: Operation, state: State): boolean {
    const { machine } = one.station;
    return state.station.running[one.station.index] === 1 && carries(state, machine.entrance);
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

  /** Workers that a process has at this instant. */
  private workers(one: Station, mods: Modifiers): number {
    return Math.max(0, Math.min(one.spec.workers, mods.workers[one.index] as number));
  }

  private serve(one: Station, state: State, mods: Modifiers, seconds: number): void {
    const { station, operation } = state;
    const at = one.index;
    let arrivals = 0;
    for (const each of one.operations) arrivals += operation.arrivals[each.index] as number;
    station.arrivals[at] = arrivals;
    const workers = this.workers(one, mods);
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
      const tried = this.tried(one, target, state);
      const fresh = (perSecond * call.times * (way.weight[one.index] as number)) / weights;
      const late = call.pool.spec.onFail === "keep" ? this.keep(one, fresh, tried.failed, state) : 0;
      const wanted = fresh + late;
      const attempts = wanted * tried.attempts;
      way.perSecond[one.index] = (way.perSecond[one.index] as number) + attempts;
      published += wanted * (1 - tried.failed);
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

  /** How a call of an operation over a way ends, with its retries. */
  private tried(way: Way, target: Operation, state: State): { attempts: number; failed: number } {
    const lost = state.way.failing[way.index] as number;
    const refused = lost >= 1 ? 0 : (state.operation.failing[target.index] as number);
    return attemptsOf(1 - (1 - lost) * (1 - refused), way.pool.spec.retries);
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
          // A row waits for what it calls.
          slower += (share * (way.seconds[each.index] as number) * one.spec.rowsPerSecond) / call.everyRows / 8;
        });
      }
      if (station.disk) slower *= Math.max(1, (state.disk.slowdown[station.disk.index] as number) / 2);
      job.rowsPerSecond[index] = one.spec.rowsPerSecond / Math.max(1, slower);
    }
  }

  /** Times and failures from the called back to the callers. */
  answer(state: State, mods: Modifiers, damping: number): void {
    const { stations, loads, ways } = this.layout;
    for (const one of ways) {
      const net = crossing(state, one.links);
      this.crossSeconds[one.index] = net.seconds;
      this.crossFailing[one.index] = net.failing;
    }
    for (let place = stations.length - 1; place >= 0; place--) {
      const one = stations[place] as Station;
      this.admitConnections(one, state, mods);
      for (const pool of one.pools) for (const each of pool.ways) this.throughWay(each, state, mods);
      this.hold(one, state, mods, damping);
    }
    for (const load of loads) this.loadOutcome(load, state);
  }

  /** Where more connections are wanted than a process lets in, those that came first keep theirs. */
  private admitConnections(one: Station, state: State, mods: Modifiers): void {
    let left = mods.connections[one.index] as number;
    for (const way of one.callers) {
      state.way.admitted[way.index] = Math.min(left, way.pool.spec.connections);
      if (state.station.running[way.pool.station.index]) left = Math.max(0, left - way.pool.spec.connections);
    }
  }

  /** What an attempt over a way takes and how often it fails, the wait for a connection included. */
  private throughWay(one: Way, state: State, mods: Modifiers): void {
    const { way } = state;
    const { index } = one;
    this.meet(one, state, mods, one.pool.spec.timeoutMs / 1000);
    way.weight[index] = this.failedOver(way.weight[index] as number, !isUnmet(this.reason));
    way.seconds[index] = this.seconds;
    way.failing[index] = this.failing;
    way.reason[index] = this.reason;
    way.inUse[index] = Math.min(this.connections(one, state, mods), (way.perSecond[index] as number) * this.seconds);
  }

  /** One attempt over a way. */
  private meet(one: Way, state: State, mods: Modifiers, timeout: number): void {
    const { station, machine } = state;
    const { index, target } = one;
    const netSeconds = this.crossSeconds[index] as number;
    const unmet = (seconds: number, reason: number) => {
      this.seconds = seconds;
      this.failing = 1;
      this.reason = reason;
    };
    if (mods.closed[index]) unmet(Math.min(timeout, CONNECT_SECONDS), REASON.closed);
    else if ((this.crossFailing[index] as number) >= 1 || !machine.up[target.machine.index])
      unmet(Math.min(timeout, CONNECT_SECONDS), REASON.noAnswer);
    else if (!station.running[target.index]) unmet(netSeconds, REASON.refused);
    else if (one.pool.spec.tls && mods.expired[target.index]) unmet(netSeconds + 0.02, REASON.certificate);
    else this.talk(one, state, mods, timeout);
  }

  private stepSeconds = 1;

  /** Says how long the step is that weights move in. */
  begin(seconds: number): void {
    this.stepSeconds = seconds;
  }

  private failedOver(weight: number, usable: boolean): number {
    const goal = usable ? 1 : 0.02;
    return weight + (goal - weight) * (1 - Math.exp(-this.stepSeconds / FAILOVER_SECONDS));
  }

  private connections(one: Way, state: State, mods: Modifiers): number {
    return Math.min(
      one.pool.spec.connections,
      mods.poolTo[one.pool.index] as number,
      state.way.admitted[one.index] as number,
    );
  }

  /** A call that finds somebody: wait for a connection, the line, the wait and the work at the other side. */
  private talk(one: Way, state: State, mods: Modifiers, timeout: number): void {
    const { station, operation, way } = state;
    const { target, index } = one;
    const netSeconds = this.crossSeconds[index] as number;
    const netFailing = this.crossFailing[index] as number;
    const drift = Math.abs(
      (mods.drift[one.pool.station.machine.index] as number) - (mods.drift[target.machine.index] as number),
    );
    let mean = 0;
    let clock = 0;
    let shares = 0;
    for (const each of target.operations) {
      const share = operation.share[each.index] as number;
      if (share <= 0) continue;
      shares += share;
      mean += share * (operation.responseSeconds[each.index] as number);
      if (each.spec.checksClock && drift > CLOCK_SECONDS) clock += share;
    }
    if (shares > 0) {
      mean /= shares;
      clock /= shares;
    }
    const backlog = station.backlogSeconds[target.index] as number;
    const until = untilTimeout(backlog + netSeconds, Math.max(1e-5, mean - backlog), timeout);
    const pool = this.connections(one, state, mods);
    const wanted = (way.perSecond[index] as number) * until.seconds;
    // Who has no connection at all is told so at once by the other side, or waits for one of its own in vain.
    const admitted = state.way.admitted[index] as number;
    let wait = 0;
    let without = 0;
    if (pool < 0.5) {
      wait = admitted < 0.5 ? 0 : timeout;
      without = 1;
    } else if (wanted > pool * 0.5) {
      const steady = waitGGc(
        Math.max(1, Math.round(pool)),
        Math.min(wanted, pool * 0.97) / until.seconds,
        until.seconds,
        1,
        1,
      );
      // More want a connection than there are: each waits for those before it, as long as it may.
      const behind = wanted > pool ? ((wanted - pool) / pool) * until.seconds * 4 : 0;
      wait = Math.min(timeout, steady + behind);
      without = wait >= timeout ? 1 - pool / Math.max(pool, wanted) : 0;
    }
    const turnedAway = station.refused[target.index] as number;
    this.failing = 1 - (1 - netFailing) * (1 - until.late) * (1 - clock) * (1 - without) * (1 - turnedAway);
    const seconds = (until.seconds * (1 - without) + wait) * (1 - turnedAway) + netSeconds;
    this.seconds = Math.min(timeout, seconds);
    this.reason = REASON.none;
    let worst = 0.002;
    const because = (reason: number, share: number) => {
      if (share <= worst) return;
      worst = share;
      this.reason = reason;
    };
    because(REASON.lost, netFailing);
    because(REASON.timedOut, until.late);
    because(REASON.clock, clock);
    because(REASON.tooMany, without);
    because(REASON.busy, turnedAway);
  }

  /** Time that a process needs for its requests, how long they wait before it, and how many fail. */
  private hold(one: Station, state: State, mods: Modifiers, damping: number): void {
    const { station, operation, machine } = state;
    const at = one.index;
    if (!station.running[at]) {
      station.busy[at] = station.waitSeconds[at] = station.backlogSeconds[at] = 0;
      for (const each of one.operations) {
        operation.failing[each.index] = 1;
        operation.reason[each.index] = REASON.refused;
      }
      return;
    }
    const stretch =
      (machine.stretch[one.machine.index] as number) *
      (machine.paging[one.machine.index] as number) *
      (station.quotaStretch[at] as number);
    const disk = one.disk ? (state.disk.slowdown[one.disk.index] as number) : 1;
    const full = one.disk !== undefined && (state.disk.usedShare[one.disk.index] as number) >= NO_ROOM;
    let mean = 0;
    let shares = 0;
    let variance = 0;
    for (const each of one.operations) {
      const { index, spec } = each;
      let seconds =
        (spec.cpuMs * (mods.cpuTimes[index] as number) * stretch +
          spec.diskMs * (mods.diskTimes[index] as number) * disk * (machine.paging[one.machine.index] as number) +
          spec.restMs * (mods.restTimes[index] as number)) /
          1000 +
        (mods.lockSeconds[index] as number);
      let well = (1 - spec.failPercent / 100) * (1 - (mods.errors[index] as number));
      let reason: number = (mods.errors[index] as number) > 0.005 ? REASON.own : REASON.none;
      if (full && spec.writeKiB > 0) {
        well = 0;
        reason = REASON.noRoom;
      }
      operation.ownSeconds[index] = seconds;
      operation.ownFailing[index] = 1 - well;
      for (const call of each.calls) {
        const met = this.called(call, state);
        seconds += call.times * met.seconds;
        if (call.pool.spec.onFail !== "fail" || met.failing <= 0) continue;
        const lost = call.times === 1 ? met.failing : 1 - (1 - met.failing) ** call.times;
        well *= 1 - lost;
        if (reason === REASON.none && lost > 0.005) reason = REASON.peer;
      }
      const before = operation.holdSeconds[index] as number;
      const now = before > 0 ? before + (seconds - before) * damping : seconds;
      operation.holdSeconds[index] = now;
      operation.failing[index] = 1 - well;
      operation.reason[index] = reason;
      const share = operation.share[index] as number;
      mean += share * now;
      variance += share * now ** 2 * (1 + spec.variation ** 2);
      shares += share;
    }
    if (shares > 0) {
      mean /= shares;
      station.holdSeconds[at] = Math.max(1e-5, mean);
    } else station.holdSeconds[at] = Math.max(1e-5, operation.holdSeconds[one.operations[0]?.index ?? 0] ?? 1e-3);
    const workers = Math.max(1, Math.floor(this.workers(one, mods)));
    const hold = station.holdSeconds[at] as number;
    const capacity = workers / hold;
    const rate = Math.min(station.arrivals[at] as number, capacity * STEADY);
    const cv2 = shares > 0 && mean > 0 ? Math.max(0, variance / shares / mean ** 2 - 1) : 1;
    station.backlogSeconds[at] = (station.backlog[at] as number) / capacity;
    // Consumers take what they have room for: nothing waits before them but in their queue.
    // Where under a third of many workers are in use, nobody waits for one.
    const steady =
      one.takes.length || (workers >= 12 && rate * hold < workers / 3) ? 0 : waitGGc(workers, rate, hold, 1, cv2);
    station.waitSeconds[at] = steady + (station.backlogSeconds[at] as number);
    station.busy[at] = Math.min(workers, (station.finished[at] as number) * hold);
    for (const each of one.operations)
      operation.responseSeconds[each.index] =
        (station.waitSeconds[at] as number) + (operation.holdSeconds[each.index] as number);
  }

  /** What a call costs on average over the instances called. */
  private called(call: Call, state: State): { seconds: number; failing: number } {
    const { way, operation } = state;
    let weights = 0;
    let seconds = 0;
    let failing = 0;
    const { ways } = call.pool;
    for (let place = 0; place < ways.length; place++) {
      const one = ways[place] as Way;
      const weight = way.weight[one.index] as number;
      weights += weight;
      // The way knows the mean of all operations there; this one differs from it by its own work.
      const target = call.targets[place] as Operation;
      const lost = way.failing[one.index] as number;
      const own =
        (operation.holdSeconds[target.index] as number) - (state.station.holdSeconds[target.station.index] as number);
      const once = Math.max(1e-5, (way.seconds[one.index] as number) + (lost < 0.5 ? own : 0));
      const { attempts, failed } = this.tried(one, target, state);
      seconds += weight * (once * attempts + ((attempts - 1) * call.pool.spec.backoffMs) / 1000);
      failing += weight * failed;
    }
    this.scratch.seconds = seconds / weights;
    this.scratch.failing = failing / weights;
    return this.scratch;
  }

  /** What somebody outside sees: failures, what is not over in time, and what is tried again. */
  private loadOutcome(load: Load, state: State): void {
    const { operation, station } = state;
    let [open, good] = [0, 0];
    for (const one of load.targets) {
      if (!this.isOpen(one, state)) continue;
      open++;
      const backlog = station.backlogSeconds[one.station.index] as number;
      const rest = Math.max(1e-5, (operation.responseSeconds[one.index] as number) - backlog);
      const { late } = untilTimeout(backlog, rest, load.spec.timeoutSeconds);
      good +=
        (1 - (operation.failing[one.index] as number)) *
        (1 - late) *
        (1 - (station.refused[one.station.index] as number));
    }
    const failing = open ? 1 - good / open : 1;
    state.load.failing[load.index] = failing;
    state.load.attempts[load.index] = attemptsOf(failing, load.spec.retries).attempts;
  }
}
