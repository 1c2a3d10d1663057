import { scatter, seedOf } from "../rhythm";
import type { Scenario, ScenarioOutput } from "../scenario/schema";
import type { Pool, Station, Way } from "../world/layout";
import { NO_ROOM } from "../world/machines";
import type { World } from "../world/world";
import { strengthOf } from "../world/effects";
import type { Estate } from "./estate";
import type { HostView } from "./host-view";

/** Somebody in the estate that says something: a process of a host, or a switch. */
export interface Sender {
  host: HostView;
  station: Station | undefined;
  output: ScenarioOutput;
}

export interface LogLine {
  atMs: number;
  /** OpenTelemetry severity number. */
  severity: number;
  text: string;
}

const MINUTE_MS = 60_000;
const SEVERITY = { debug: 5, info: 9, notice: 10, warning: 13, error: 17, critical: 18 } as const;
const SILENT: ScenarioOutput = { lines: [] };

/** Whether a process sends spans and metrics of its own. */
export const isInstrumented = (station: Station): boolean =>
  station.spec.instrumented ??
  (station.operations.length > 0 &&
    (station.takes.length > 0 || station.spec.listens.some((one) => one.speaks === "http")));

export function sendersOf(estate: Estate): Sender[] {
  const { outputs } = estate.scenario;
  return estate.hosts.flatMap((host): Sender[] => {
    if (host.role.system === "switch")
      return outputs.switch ? [{ host, station: undefined, output: outputs.switch }] : [];
    return host.stations.flatMap((station) => {
      const output = outputs[station.spec.name];
      return output || isInstrumented(station) || hasJobs(estate.world, station)
        ? [{ host, station, output: output ?? SILENT }]
        : [];
    });
  });
}

/** What a sender says of itself: resource attributes of a process, what syslog shows of a switch. */
export function attributesOf({ host, station }: Sender, atMs: number): Record<string, string> {
  if (!station) return { "source.address": host.address, "host.name": host.name, "app.name": "switchd" };
  return {
    "host.name": host.fullName,
    "service.name": station.spec.name,
    "service.version": host.versionOf(station, atMs),
  };
}

/** How many of something that comes `perHour` times come in a minute; the same minute always gives the same. */
export function countIn(seed: number, minute: number, perHour: number): number {
  return Math.floor(perHour / 60 + scatter(seed, minute));
}

/** Whether what a sender says now can be heard at all. */
export const isHeard = ({ host, station }: Sender): boolean =>
  host.world.isReached(host.machine) && (station === undefined || host.world.isRunning(station));

/**
 * What a sender says after `fromMs` and up to `toMs`, in order, as the world stands at `toMs`. Spans of time over a minute
 * are to be asked for in parts.
 */
export function linesBetween(scenario: Scenario, sender: Sender, fromMs: number, toMs: number): LogLine[] {
  const { host, station, output } = sender;
  const { world } = host;
  world.advance(toMs);
  if (!isHeard(sender)) return [];
  const said: LogLine[] = station ? jobLines(world, station, fromMs, toMs) : [];
  const base = station?.seed ?? host.machine.seed;
  const level = 0.15 + 0.85 * host.machine.rhythm.level(toMs);
  const drift = Math.round((world.mods.drift[host.machine.index] as number) * 1000);
  const lines = [...output.lines, ...chatter(sender, toMs)];
  for (let minute = Math.floor(fromMs / MINUTE_MS); minute * MINUTE_MS <= toMs; minute++)
    lines.forEach((line, which) => {
      if (line.fromVersion && station && host.versionOf(station, toMs) < line.fromVersion) return;
      let share = level;
      if (line.during) share = faultShare(world, sender, line.during, toMs);
      else if (line.when && station) share = conditionShare(world, station, line.when);
      if (share <= 0) return;
      const seed = seedOf(String(which), base);
      const count = countIn(seed, minute, line.perHour * share);
      for (let index = 0; index < count; index++) {
        const own = seedOf(`${minute}.${index}`, seed);
        const atMs = minute * MINUTE_MS + Math.floor(scatter(own, 1) * MINUTE_MS);
        if (atMs <= fromMs || atMs > toMs) continue;
        said.push({
          atMs: atMs + drift,
          severity: SEVERITY[line.severity],
          text: fill(line.text, scenario.words, own),
        });
      }
    });
  return said.sort((a, b) => a.atMs - b.atMs);
}

const hasJobs = (world: World, station: Station): boolean => world.layout.jobs.some((job) => job.station === station);

/** What a process says of its jobs: that one began, and that it is done with how many rows. */
function jobLines(world: World, station: Station, fromMs: number, toMs: number): LogLine[] {
  const { startedAtMs, endedAtMs } = world.state.job;
  const lines: LogLine[] = [];
  const within = (at: number) => at > fromMs && at <= toMs;
  for (const { index, spec, station: own } of world.layout.jobs) {
    if (own !== station) continue;
    const [began, ended] = [startedAtMs[index] as number, endedAtMs[index] as number];
    if (within(began))
      lines.push({ atMs: began, severity: SEVERITY.notice, text: `Job ${spec.name} begun: ${spec.rows} rows` });
    if (within(ended))
      lines.push({
        atMs: Math.round(ended),
        severity: SEVERITY.notice,
        text: `Job ${spec.name} done: ${spec.rows} rows in ${Math.round((ended - began) / 1000)} s`,
      });
  }
  return lines;
}

/** Lines that an effect has a process say. */
function chatter({ host, station }: Sender, atMs: number): ScenarioOutput["lines"] {
  const lines: ScenarioOutput["lines"] = [];
  if (!station) return lines;
  for (const spell of host.world.spells)
    for (const effect of spell.effects) {
      if (effect.what !== "chatter" || effect.process !== station.spec.name) continue;
      if (effect.host !== undefined ? effect.host !== host.name : effect.role !== host.machine.roleName) continue;
      const share = atMs >= spell.fromMs ? strengthOf(effect, spell, atMs) : 0;
      if (share > 0)
        lines.push({ text: effect.text, severity: "info", perHour: Math.min(3600, effect.perHour * share) });
    }
  return lines;
}

/** How far a fault is at work where a sender is. */
function faultShare(world: World, { host, station }: Sender, faultId: string, atMs: number): number {
  let most = 0;
  for (const spell of world.spells) {
    if (spell.faultId !== faultId || atMs < spell.fromMs || atMs >= spell.toMs) continue;
    for (const effect of spell.effects) {
      if ("host" in effect && effect.host !== undefined && effect.host !== host.name) continue;
      if ("role" in effect && effect.role !== undefined && effect.role !== host.machine.roleName) continue;
      if ("process" in effect && effect.process !== undefined && effect.process !== station?.spec.name) continue;
      most = Math.max(most, strengthOf(effect, spell, atMs));
    }
  }
  return most;
}

/** How far something is wrong as a process sees it, 0 to 1. */
function conditionShare(
  world: World,
  station: Station,
  when: NonNullable<ScenarioOutput["lines"][number]["when"]>,
): number {
  const { state } = world;
  const clip = (value: number) => Math.max(0, Math.min(1, value));
  const pools = when.of === undefined ? undefined : station.pools.filter((one) => one.spec.process === when.of);
  switch (when.is) {
    case "slow":
      return clip(
        (pools
          ? slownessOf(world, pools)
          : Math.max(0, ...station.operations.map((one) => slowness(world, one.index, one.baseSeconds)))) / 6,
      );
    case "failing":
      return clip(
        2 *
          (pools
            ? Math.max(0, ...pools.flatMap((pool) => pool.ways.map((way) => failingOf(world, way))))
            : Math.max(0, ...station.operations.map((one) => state.operation.failing[one.index] as number)) - 0.03),
      );
    case "refusing":
      return clip((state.station.refused[station.index] as number) * 4);
    case "no-room":
      return station.disk && (state.disk.usedShare[station.disk.index] as number) >= NO_ROOM - 0.02 ? 1 : 0;
    case "no-memory":
      return clip(((state.machine.paging[station.machine.index] as number) - 1) / 20);
    case "waiting":
      return clip(Math.max(0, ...station.takes.map((queue) => (state.queue.depth[queue.index] as number) / 200)));
  }
}

/** Share of the calls over a way that fail, for whichever reason. */
function failingOf(world: World, way: Way): number {
  const { state } = world;
  let answered = 0;
  for (const one of way.target.operations)
    answered += (state.operation.share[one.index] as number) * (1 - (state.operation.failing[one.index] as number));
  const lost = 1 - (1 - (state.way.failing[way.index] as number)) * answered;
  return (way.target.operations.length ? lost : 0) * (state.way.weight[way.index] as number);
}

function slowness(world: World, operation: number, baseSeconds: number): number {
  return (world.state.operation.responseSeconds[operation] as number) / Math.max(0.001, baseSeconds) - 2;
}

function slownessOf(world: World, pools: readonly Pool[]): number {
  let most = 0;
  for (const pool of pools)
    for (const way of pool.ways) {
      const usual = Math.max(0.002, ...way.target.operations.map((one) => one.baseSeconds));
      most = Math.max(most, (world.state.way.seconds[way.index] as number) / usual - 2);
    }
  return most;
}

function fill(text: string, words: Scenario["words"], seed: number): string {
  let part = 2;
  return text.replaceAll(/\{([a-z-]+)\}/g, (_, what: string) => {
    const chance = scatter(seed, part++);
    if (what === "number") return String(1 + Math.floor(chance ** 2 * 900));
    if (what === "id")
      return (
        (Math.floor(chance * 0xfffffff) + 0x10000000).toString(16).toUpperCase() +
        Math.floor(chance * 8e6)
          .toString(16)
          .toUpperCase()
      );
    if (what === "address") return `198.51.100.${1 + Math.floor(chance * 250)}`;
    const list = words[what] as string[];
    return list[Math.floor(chance * list.length)] as string;
  });
}
