import { isOpen, isUnmet, REASON, tried, workersOf } from "./calls";
import type { Modifiers } from "./effects";
import type { Call, Layout, Load, Operation, Station, Way } from "./layout";
import { NO_ROOM } from "./machines";
import { crossing, isPutIn } from "./network";
import { attemptsOf, untilTimeout, waitGGc } from "./queueing";
import type { State } from "./state";

/** Until it is known that nobody answers at an address. */
const CONNECT_SECONDS = 1;
/** Time in which a caller leaves out an instance that it cannot reach, and takes it up again. */
const FAILOVER_SECONDS = 8;
/** What was not put in is not among those that a caller turns to, as long as there is any other. */
const NOT_IN = 1e-9;
/** Clocks may differ by so much before what a caller signs is refused. */
const CLOCK_SECONDS = 60;
/** Share of its workers up to which waiting is that of the steady state; beyond it the backlog says it. */
const STEADY = 0.985;

/**
 * Chance that one of several calls fails.
 *
 * @param times so many of them; a part of a call is made by that share of the requests only
 */
export function oneOfFails(failing: number, times: number): number {
  const whole = Math.floor(times);
  return 1 - (1 - failing) ** whole * (1 - failing * (times - whole));
}

/**
 * The times and failures of an instant on their way back up the calls. A caller's worker is taken while it waits for those
 * it called (layered queueing: Rolia & Sevcik, The Method of Layers, 1995).
 */
export class Answers {
  /** How often crossing the lines of each way fails in this step. */
  private readonly crossFailing: Float64Array;
  /** The answers of `meet` and of `called`, so that none is made anew for every call. */
  private seconds = 0;
  private failing = 0;
  private reason = 0;
  private readonly scratch = { seconds: 0, failing: 0 };
  /** How far callers turn to or from an instance in this pass. */
  private turning = 0;

  constructor(private readonly layout: Layout) {
    this.crossFailing = new Float64Array(layout.ways.length);
  }

  /**
   * Times and failures from the called back to the callers.
   *
   * @param seconds that callers have had since the last time to turn away from what they cannot reach
   */
  pass(state: State, mods: Modifiers, damping: number, seconds: number): void {
    this.turning = 1 - Math.exp(-seconds / FAILOVER_SECONDS);
    const { stations, loads, ways } = this.layout;
    for (const one of ways) {
      const net = crossing(state, one.links);
      state.way.crossSeconds[one.index] = net.seconds;
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
    way.poolSeconds[index] = way.otherFailing[index] = 0;
    way.letIn[index] = 1;
    this.meet(one, state, mods, one.pool.spec.timeoutMs / 1000);
    const isOffered = !isUnmet(this.reason) && !state.machine.aside[one.target.machine.index];
    way.weight[index] = isPutIn(one.target.machine, state.atMs, mods)
      ? this.failedOver(way.weight[index] as number, isOffered)
      : NOT_IN;
    way.seconds[index] = this.seconds;
    way.failing[index] = this.failing;
    way.reason[index] = this.reason;
    way.inUse[index] = Math.min(this.connections(one, state, mods), (way.perSecond[index] as number) * this.seconds);
  }

  /** One attempt over a way. */
  private meet(one: Way, state: State, mods: Modifiers, timeout: number): void {
    const { station, machine } = state;
    const { index, target } = one;
    const netSeconds = state.way.crossSeconds[index] as number;
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

  private failedOver(weight: number, usable: boolean): number {
    const goal = usable ? 1 : 0.02;
    return weight + (goal - weight) * this.turning;
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
    const netSeconds = state.way.crossSeconds[index] as number;
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
    way.poolSeconds[index] = wait * (1 - turnedAway);
    way.letIn[index] = (1 - without) * (1 - turnedAway);
    const other = 1 - (1 - netFailing) * (1 - clock) * (1 - without) * (1 - turnedAway);
    way.otherFailing[index] = other;
    this.failing = 1 - (1 - other) * (1 - until.late);
    const seconds = Math.max(netSeconds, (until.seconds * (1 - without) + wait) * (1 - turnedAway));
    this.seconds = Math.min(timeout, seconds);
    this.reason = REASON.none;
    let worst = 0.002;
    const because = (reason: number, share: number) => {
      if (share <= worst) return;
      worst = share;
      this.reason = reason;
    };
    // Who is turned away at the door learns of nothing else.
    const letIn = 1 - turnedAway;
    because(REASON.lost, netFailing);
    because(REASON.timedOut, until.late * letIn);
    because(REASON.clock, clock * letIn);
    because(REASON.tooMany, without * letIn);
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
      // What fails is over with that: the calls after it are not made.
      let goingOn = well;
      for (const call of each.calls) {
        const met = this.called(call, state);
        if (call.pool.spec.onFail !== "fail" || met.failing <= 0) {
          seconds += goingOn * call.times * met.seconds;
          continue;
        }
        const lost = oneOfFails(met.failing, call.times);
        seconds += goingOn * (lost / met.failing) * met.seconds;
        goingOn *= 1 - lost;
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
    const workers = Math.max(1, Math.floor(workersOf(one, mods)));
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
    const { way } = state;
    let weights = 0;
    let seconds = 0;
    let failing = 0;
    const { ways } = call.pool;
    for (let place = 0; place < ways.length; place++) {
      const one = ways[place] as Way;
      const weight = way.weight[one.index] as number;
      weights += weight;
      const { seconds: once, attempts, failed } = tried(one, call.targets[place] as Operation, state);
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
      if (!isOpen(one, state)) continue;
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
