import { DAY_MS, HOUR_MS, parseDurationMs } from "#core/time/windows";
import type { Scenario, ScenarioEffect, ScenarioFault, ScenarioRepair } from "../scenario/schema";
import { Modifiers, movesWithin, type Spell } from "./effects";
import { Flow } from "./flow";
import { grow, startCounters } from "./growth";
import { Answers } from "./answers";
import { layOut } from "./builder";
import { MIB, type Disk, type Layout, type Machine, type Station } from "./layout";
import { settleDisks, settleMemory, settleProcessors } from "./machines";
import { isReached, isReachedAtSite, isSiteReached, settleLinks, settlePower } from "./network";
import { stretchOf } from "./queueing";
import { copyOf, stateAtRest, type State } from "./state";

const SECOND_MS = 1000;
/** Step while nothing is on the move. */
const QUIET_MS = 60_000;
/** How long after something moved steps stay short. */
const LIVELY_MS = 90_000;
/** A restarted process stays away for so long. */
export const RESTART_MS = 3000;
/** And one that the kernel killed. */
const KILLED_AWAY_MS = 6000;
/** States that are kept to go back to. */
const KEPT_STATES = 40;
const KEPT_EVERY_MS = 5 * 60_000;
const FOREVER = Number.POSITIVE_INFINITY;

/** Something done to the world by hand, at a whole second. */
type Deed =
  | { atMs: number; what: "restart"; station: Station; awayMs: number }
  | { atMs: number; what: "stop"; station: Station }
  | { atMs: number; what: "start"; station: Station }
  | { atMs: number; what: "tidy"; disk: Disk }
  | { atMs: number; what: "aside"; machine: Machine; aside: boolean }
  | { atMs: number; what: "clear-cache"; machine: Machine };

const upToSecond = (ms: number) => Math.ceil(ms / SECOND_MS) * SECOND_MS;

/**
 * The pretended estate, stepped: everything observable follows from its state, its state from the seed, the faults and what
 * was done by hand. Asked for an earlier instant it goes back to a state it kept and lives through the time between again,
 * so that the same instant always gives the same.
 */
export class World {
  readonly layout: Layout;
  readonly mods: Modifiers;
  state: State;
  readonly spells: Spell[];
  private readonly deeds: Deed[];
  private readonly versions: Map<Station, { fromMs: number; toMs: number; version: string }[]>;
  private readonly flow: Flow;
  private readonly answers: Answers;
  /** States to go back to, and on to; the first one is where this world begins. */
  private readonly kept: State[];
  private readonly beginning: { state: State };
  /** Counters and the filling of disks begin here. */
  readonly baseMs: number;
  /** End of the step that has begun. */
  private stepToMs = 0;

  /** @param like a world whose faults, deeds and kept states are shared, at an instant of its own */
  constructor(
    readonly scenario: Scenario,
    readonly anchorMs: number,
    fromMs = anchorMs - HOUR_MS,
    like?: World,
  ) {
    this.layout = like?.layout ?? layOut(scenario, anchorMs);
    this.mods = new Modifiers(this.layout);
    this.flow = new Flow(this.layout);
    this.answers = new Answers(this.layout);
    this.baseMs = Math.floor((anchorMs - 40 * DAY_MS) / HOUR_MS) * HOUR_MS;
    this.spells = like?.spells ?? [];
    this.deeds = like?.deeds ?? [];
    this.versions = like?.versions ?? new Map();
    this.kept = like?.kept ?? [];
    if (like) {
      this.beginning = like.beginning;
      this.state = copyOf(this.beginning.state);
      this.stepToMs = this.endOfStep();
      return;
    }
    this.takeUpPast();
    this.state = stateAtRest(this.layout, fromMs);
    this.beginning = { state: this.state };
    this.beginAt(fromMs);
  }

  /** The same world at another instant: what one of them lives through the other need not. */
  fork(): World {
    return new World(this.scenario, this.anchorMs, undefined, this);
  }

  /** Takes an instant as the first one, with everything as it usually is by then. */
  private beginAt(fromMs: number): void {
    this.state = stateAtRest(this.layout, Math.floor(fromMs / QUIET_MS) * QUIET_MS);
    startCounters(this.layout, this.state, this.baseMs);
    this.settle(QUIET_MS / 1000, 12, 0.6);
    this.beginning.state = copyOf(this.state);
    this.kept.length = 0;
    this.stepToMs = this.endOfStep();
  }

  private takeUpPast(): void {
    const { scenario, anchorMs } = this;
    for (const past of scenario.past) {
      const fault = scenario.faults.find((one) => one.id === past.fault) as ScenarioFault;
      const fromMs = upToSecond(anchorMs - (parseDurationMs(past.before) ?? 0));
      const spell = this.begin(fault, fromMs, undefined);
      this.end(spell, fromMs + (parseDurationMs(past.lasts) ?? 0), true);
    }
    for (const upgrade of scenario.upgrades) {
      const station = this.layout.station(upgrade.host, upgrade.process);
      if (station)
        this.setVersion(station, upgrade.version, anchorMs - (parseDurationMs(upgrade.before) ?? 0), FOREVER);
    }
  }

  // --- faults and deeds

  /** Begins a fault. Its version and its put-ins hold until it ends. */
  begin(fault: ScenarioFault, atMs: number, drillId: string | undefined): Spell {
    return this.addSpell({
      faultId: fault.id,
      drillId,
      fault,
      effects: fault.effects,
      fromMs: this.effective(atMs),
      toMs: FOREVER,
    });
  }

  /** Something that is nothing wrong, beside a drill. */
  beginBenign(effects: readonly ScenarioEffect[], atMs: number, drillId: string | undefined): Spell {
    return this.addSpell({
      faultId: undefined,
      drillId,
      fault: undefined,
      effects,
      fromMs: this.effective(atMs),
      toMs: FOREVER,
    });
  }

  private addSpell(spell: Spell): Spell {
    this.spells.push(spell);
    for (const effect of spell.effects)
      if (effect.what === "version")
        for (const station of this.stationsOf(effect))
          this.setVersion(station, effect.version, spell.fromMs + effect.afterSeconds * 1000, FOREVER);
    this.disturb(spell.fromMs);
    return spell;
  }

  private stationsOf(effect: { host?: string | undefined; role?: string | undefined; process: string }): Station[] {
    return this.layout.stations.filter(
      (one) =>
        one.spec.name === effect.process &&
        (effect.host === undefined || one.machine.name === effect.host) &&
        (effect.role === undefined || one.machine.roleName === effect.role),
    );
  }

  /**
   * Ends a fault. With `mended`, as the first of what ends it would have: what leaked or filled is given back as by a
   * restart or a clearing.
   */
  end(spell: Spell, atMs: number, mended: boolean): void {
    const at = this.effective(atMs);
    if (spell.toMs <= at) return;
    spell.toMs = at;
    for (const effect of spell.effects)
      if (effect.what === "version")
        for (const station of this.stationsOf(effect)) this.endVersion(station, effect.version, at);
    if (mended)
      for (const effect of spell.effects) {
        if (effect.what === "leak" || effect.what === "spin")
          for (const station of this.stationsOf(effect))
            this.do({ atMs: at, what: "restart", station, awayMs: RESTART_MS });
        if (effect.what === "fill")
          for (const disk of this.layout.disks)
            if (disk.spec.mount === effect.mount && disk.machine.name === effect.host)
              this.do({ atMs: at, what: "tidy", disk });
      }
    this.disturb(at);
  }

  private do(deed: Deed): void {
    this.deeds.push(deed);
    this.disturb(deed.atMs);
  }

  /** The whole second that something done at an instant takes effect at: always one that has not been lived yet. */
  private effective(atMs: number): number {
    const at = upToSecond(atMs);
    return this.state?.atMs === at ? at + SECOND_MS : at;
  }

  /** Whatever was computed beyond an instant is no longer so. */
  private disturb(atMs: number): void {
    if (!this.state) return;
    if (this.state.atMs > atMs) this.goBackTo(atMs);
    this.stepToMs = Math.min(this.stepToMs, atMs);
    while (this.kept.length && (this.kept.at(-1) as State).atMs > atMs) this.kept.pop();
  }

  /** Ends what a repair ends. @returns whether anything ended */
  private mend(repair: ScenarioRepair, atMs: number): boolean {
    let ended = false;
    for (const spell of this.spells) {
      if (spell.toMs <= atMs || spell.fromMs > atMs) continue;
      if (spell.fault?.endedBy.some((one) => isSame(one, repair))) {
        this.end(spell, atMs, false);
        ended = true;
      }
    }
    return ended;
  }

  restart(station: Station, atMs: number): void {
    const at = this.effective(atMs);
    this.do({ atMs: at, what: "restart", station, awayMs: RESTART_MS });
    this.mend({ do: "restart", host: station.machine.name, process: station.spec.name }, at);
  }

  stop(station: Station, atMs: number): void {
    const at = this.effective(atMs);
    this.do({ atMs: at, what: "stop", station });
    this.mend({ do: "stop", host: station.machine.name, process: station.spec.name }, at);
  }

  start(station: Station, atMs: number): void {
    this.do({ atMs: this.effective(atMs), what: "start", station });
  }

  /** Clears old files off a disk. @returns whether there was anything to clear */
  tidy(disk: Disk, atMs: number): boolean {
    this.advance(atMs);
    const at = this.effective(atMs);
    const filled = (this.state.disk.extraBytes[disk.index] as number) > 0;
    this.do({ atMs: at, what: "tidy", disk });
    return this.mend({ do: "rotate", host: disk.machine.name, mount: disk.spec.mount }, at) || filled;
  }

  /** Has callers of a machine go elsewhere, or come back. */
  setAside(machine: Machine, aside: boolean, atMs: number): void {
    const at = this.effective(atMs);
    this.do({ atMs: at, what: "aside", machine, aside });
    if (aside) this.mend({ do: "take-out", host: machine.name }, at);
  }

  isAside(machine: Machine, atMs: number): boolean {
    return this.advance(atMs).machine.aside[machine.index] === 1;
  }

  clearCache(machine: Machine, atMs: number): void {
    this.do({ atMs: this.effective(atMs), what: "clear-cache", machine });
  }

  /** Any other repair. @returns whether it ended anything */
  repair(repair: ScenarioRepair, atMs: number): boolean {
    return this.mend(repair, this.effective(atMs));
  }

  /** Puts a process back to the version before. @returns that version */
  rollBack(station: Station, atMs: number): string {
    const at = this.effective(atMs);
    const list = this.versions.get(station) ?? [];
    const current = list.filter((one) => one.fromMs <= at && one.toMs > at).at(-1);
    if (current) current.toMs = at;
    this.do({ atMs: at, what: "restart", station, awayMs: RESTART_MS });
    this.mend({ do: "roll-back", host: station.machine.name, process: station.spec.name }, at);
    return this.versionOf(station, at);
  }

  private setVersion(station: Station, version: string, fromMs: number, toMs: number): void {
    this.versions.set(station, [...(this.versions.get(station) ?? []), { fromMs, toMs, version }]);
  }

  private endVersion(station: Station, version: string, atMs: number): void {
    for (const one of this.versions.get(station) ?? []) if (one.version === version && one.toMs > atMs) one.toMs = atMs;
  }

  versionOf(station: Station, atMs: number): string {
    const list = this.versions.get(station)?.filter((one) => one.fromMs <= atMs && one.toMs > atMs);
    return list?.at(-1)?.version ?? station.spec.version;
  }

  // --- time

  /** Lives on, or goes back, until the state is that of the step an instant lies in. */
  advance(atMs: number): State {
    if (atMs < this.state.atMs) this.goBackTo(atMs);
    else if (this.stepToMs <= atMs) this.goOnTo(atMs);
    while (this.stepToMs <= atMs) this.step();
    return this.state;
  }

  private goBackTo(atMs: number): void {
    // Before anything that was lived: it is lived from an hour earlier on.
    if (atMs < this.beginning.state.atMs) return this.beginAt(atMs - HOUR_MS);
    const from = this.kept.findLast((one) => one.atMs <= atMs) ?? this.beginning.state;
    this.state = copyOf(from);
    this.stepToMs = this.endOfStep();
  }

  /** Takes a state up that another world has lived to, where that is nearer. */
  private goOnTo(atMs: number): void {
    const nearer = this.kept.findLast((one) => one.atMs <= atMs);
    if (!nearer || nearer.atMs <= this.stepToMs) return;
    this.state = copyOf(nearer);
    this.stepToMs = this.endOfStep();
  }

  /** Seconds since the state's own instant, for what grows between two steps. */
  since(atMs: number): number {
    return Math.max(0, (atMs - this.state.atMs) / 1000);
  }

  private endOfStep(): number {
    const { state } = this;
    const from = state.atMs;
    let to = from + SECOND_MS;
    if (from >= state.livelyUntilMs) {
      to = (Math.floor(from / QUIET_MS) + 1) * QUIET_MS;
      // Something begins before that: up to there only.
      for (const spell of this.spells)
        for (const effect of spell.effects) {
          if (!movesWithin(effect, spell, from, to)) continue;
          const start = spell.fromMs + effect.afterSeconds * 1000;
          to = Math.min(to, start > from ? upToSecond(start) : from + SECOND_MS);
        }
      for (const deed of this.deeds) if (deed.atMs > from) to = Math.min(to, deed.atMs);
      for (const spell of this.spells) if (spell.toMs > from) to = Math.min(to, spell.toMs);
      const due = this.nextJob(from);
      if (due > from) to = Math.min(to, due);
      to = Math.max(to, from + SECOND_MS);
    }
    return to;
  }

  /** One step: totals grow by the rates of the state, then the state becomes that of the step's end. */
  private step(): void {
    const from = this.state.atMs;
    const to = this.stepToMs;
    const seconds = (to - from) / 1000;
    if (seconds > 0) {
      grow(this.layout, this.state, seconds, this.state.atMs === this.beginning.state.atMs);
      this.state.atMs = to;
    }
    this.deedsBetween(from, to);
    this.jobsBetween(from, to);
    const wasQuiet = to >= this.state.livelyUntilMs;
    this.noticeMotion(to);
    const lively = to < this.state.livelyUntilMs;
    // What begins at this instant has not had the time of the quiet step before it.
    this.settle(wasQuiet && lively ? 1 : Math.max(1, seconds), 2, lively ? 0.6 : 0.75);
    if (to % KEPT_EVERY_MS === 0 && to > (this.kept.at(-1)?.atMs ?? 0)) {
      this.kept.push(copyOf(this.state));
      if (this.kept.length > KEPT_STATES) this.kept.splice(0, 1);
    }
    this.stepToMs = this.endOfStep();
  }

  private noticeMotion(atMs: number): void {
    const { state } = this;
    for (const deed of this.deeds)
      if (deed.atMs === atMs) state.livelyUntilMs = Math.max(state.livelyUntilMs, atMs + LIVELY_MS);
    for (const spell of this.spells)
      for (const effect of spell.effects)
        if (movesWithin(effect, spell, atMs - SECOND_MS, atMs + SECOND_MS))
          state.livelyUntilMs = Math.max(state.livelyUntilMs, atMs + LIVELY_MS);
    const { station, machine } = state;
    for (const one of this.layout.stations) {
      const at = one.index;
      const awaited =
        !station.running[at] && !station.byHand[at] && machine.up[one.machine.index] && !this.mods.stopped[at];
      if ((station.backlog[at] as number) < 0.5 && !awaited) continue;
      state.livelyUntilMs = Math.max(state.livelyUntilMs, atMs + 10 * SECOND_MS);
      return;
    }
  }

  private deedsBetween(fromMs: number, toMs: number): void {
    const { station, disk, machine } = this.state;
    for (const deed of this.deeds) {
      if (deed.atMs > toMs || deed.atMs <= fromMs) continue;
      if (deed.what === "tidy") {
        disk.extraBytes[deed.disk.index] = 0;
        continue;
      }
      if (deed.what === "aside") {
        machine.aside[deed.machine.index] = Number(deed.aside);
        continue;
      }
      if (deed.what === "clear-cache") {
        machine.cacheSinceMs[deed.machine.index] = deed.atMs;
        continue;
      }
      const at = deed.station.index;
      if (deed.what !== "start") this.takeDown(deed.station);
      // What somebody stopped is started by somebody.
      station.byHand[at] = Number(deed.what === "stop");
      station.startsAtMs[at] = deed.atMs + (deed.what === "restart" ? deed.awayMs : RESTART_MS);
    }
  }

  /** Ends a process; what waited there is lost. */
  private takeDown(one: Station): void {
    const { station, operation } = this.state;
    const at = one.index;
    const lost = station.backlog[at] as number;
    for (const each of one.operations)
      operation.failed[each.index] =
        (operation.failed[each.index] as number) + lost * (operation.share[each.index] as number);
    station.running[at] = station.backlog[at] = station.leakBytes[at] = station.memoryBytes[at] = 0;
    // Nothing of what this instant would have brought is done.
    station.finished[at] = 0;
    station.refused[at] = 1;
    for (const each of one.operations) operation.finished[each.index] = 0;
    station.coreSeconds[at] = 0;
  }

  /** Starts and ends processes: what was stopped, what was killed, what a machine took with it. */
  private settleProcesses(): void {
    const { state, layout, mods } = this;
    const { station, machine } = state;
    for (const one of layout.stations) {
      const at = one.index;
      if (!machine.up[one.machine.index] || mods.stopped[at]) {
        if (station.running[at]) this.takeDown(one);
        // It comes back when that is over.
        station.startsAtMs[at] = Math.max(state.atMs + SECOND_MS, station.startsAtMs[at] as number);
      } else if (!station.running[at] && !station.byHand[at] && (station.startsAtMs[at] as number) <= state.atMs) {
        station.running[at] = 1;
        station.startedAtMs[at] = state.atMs;
        station.starts[at] = (station.starts[at] as number) + 1;
      }
    }
  }

  /** Brings everything in line with an instant. */
  private settle(seconds: number, passes: number, damping: number): void {
    const { state, layout, mods, flow, answers } = this;
    mods.become(this.spells, state.atMs);
    settlePower(layout, state, mods);
    this.settleProcesses();
    for (let pass = 0; pass < passes; pass++) {
      flow.pass(state, mods, seconds);
      this.settleQuotas(damping);
      settleProcessors(layout, state, mods, damping);
      settleLinks(layout, state, mods);
      if (pass === 0) settleDisks(layout, state, mods, flow.asked, this.baseMs, seconds);
      // Callers turn away from what they cannot reach once a step, not once a pass.
      answers.pass(state, mods, damping, pass === 0 ? seconds : 0);
    }
    for (const killed of settleMemory(layout, state, mods, seconds)) {
      this.takeDown(killed);
      state.station.startsAtMs[killed.index] = state.atMs + KILLED_AWAY_MS;
      state.station.kills[killed.index] = (state.station.kills[killed.index] as number) + 1;
      state.livelyUntilMs = Math.max(state.livelyUntilMs, state.atMs + LIVELY_MS);
    }
  }

  /** A process in a container has no more processors than its quota. */
  private settleQuotas(damping: number): void {
    const { state, layout, mods } = this;
    for (const one of layout.stations) {
      if (!one.container) continue;
      const { index } = one;
      const quota = mods.quotaCpu[one.container.index] as number;
      const wanted = state.station.cores[index] as number;
      const before = state.station.quotaStretch[index] as number;
      const target = Math.max(stretchOf(quota, wanted), wanted > quota * 0.97 ? (before * wanted) / (quota * 0.97) : 1);
      state.station.quotaStretch[index] = Math.min(5000, before + (target - before) * damping);
      const share = wanted / quota;
      state.station.throttled[index] = share < 0.7 ? 0 : Math.min(100, (share - 0.7) * 250);
    }
  }

  // --- jobs

  private dueAt(index: number, dayMs: number): number | undefined {
    const job = this.scenario.jobs[index] as Scenario["jobs"][number];
    const weekday = ((Math.floor(dayMs / DAY_MS) + 3) % 7) + 1;
    if (job.days && !job.days.includes(weekday)) return undefined;
    const [hour, minute] = job.at.split(":").map(Number) as [number, number];
    return dayMs + hour * HOUR_MS + minute * 60_000;
  }

  private nextJob(fromMs: number): number {
    let next = FOREVER;
    const day = Math.floor(fromMs / DAY_MS) * DAY_MS;
    for (const job of this.layout.jobs)
      for (const dayMs of [day, day + DAY_MS]) {
        const due = this.dueAt(job.index, dayMs);
        if (due !== undefined && due > fromMs) next = Math.min(next, due);
      }
    return next;
  }

  private jobsBetween(fromMs: number, toMs: number): void {
    const { job } = this.state;
    for (const one of this.layout.jobs) {
      const due = this.dueAt(one.index, Math.floor(toMs / DAY_MS) * DAY_MS);
      let begins = due !== undefined && due > fromMs && due <= toMs;
      for (const spell of this.spells)
        for (const effect of spell.effects) {
          const at = spell.fromMs + effect.afterSeconds * 1000;
          if (effect.what !== "job" || effect.job !== one.spec.name) continue;
          if (at > fromMs && at <= toMs && at < spell.toMs) begins = true;
          // Whoever had it run has it stopped again.
          if (spell.toMs > fromMs && spell.toMs <= toMs && at < spell.toMs) job.rowsLeft[one.index] = 0;
        }
      if (!begins || (job.rowsLeft[one.index] as number) > 0) continue;
      job.rowsLeft[one.index] = one.spec.rows;
      job.rowsPerSecond[one.index] = one.spec.rowsPerSecond;
      job.startedAtMs[one.index] = toMs;
    }
  }

  // --- what is asked of it

  isUp(machine: Machine): boolean {
    return this.state.machine.up[machine.index] === 1;
  }

  isRunning(station: Station): boolean {
    return this.state.station.running[station.index] === 1;
  }

  /** Whether it answers at Holotaxis' place. */
  isReached(machine: Machine): boolean {
    return isReached(this.state, machine);
  }

  isReachedAtSite(machine: Machine): boolean {
    return isReachedAtSite(this.state, machine);
  }

  isSiteReached(machine: Machine): boolean {
    return isSiteReached(this.state, machine);
  }

  /** Processors that a machine has at this instant. */
  coresOf(machine: Machine): number {
    return this.mods.cores[machine.index] as number;
  }

  /** Limit of a container's memory at this instant, bytes. */
  memoryQuota(containerIndex: number): number {
    return (this.mods.quotaMemory[containerIndex] as number) * MIB;
  }
}

/** Whether a deed is the one that a fault's answer names. */
function isSame(a: ScenarioRepair, b: ScenarioRepair): boolean {
  if (a.do !== b.do) return false;
  const [x, y] = [a, b] as unknown as Record<string, unknown>[];
  return Object.keys(a).every((key) =>
    key === "between"
      ? JSON.stringify([...((x?.[key] as string[]) ?? [])].sort()) ===
        JSON.stringify([...((y?.[key] as string[]) ?? [])].sort())
      : x?.[key] === y?.[key],
  );
}
