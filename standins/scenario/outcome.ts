import type { Scenario } from "./schema";
import { Estate } from "../seen/estate";
import type { Operation, Queue } from "../world/layout";

const MINUTE_MS = 60_000;
/** Within a minute the world is looked at so often: what lasts seconds, as a start anew, is felt as well. */
const LOOKS = 6;
/** Failing more often than usual by this share, or slower by this factor, is degraded; failing for most is down. */
const DEGRADED = 0.02;
const SLOWER = 1.5;
const DOWN = 0.8;
/** Messages that wait beyond those that usually do. */
const WAITING = 100;

export interface Outcome {
  degraded: string[];
  down: string[];
}

/**
 * What a drill does to the services, as the world has it: every minute of the drill is compared with the same minute
 * without it, by the mean of some looks. The worst of a service's loads counts.
 */
export function outcomeOf(scenario: Scenario, drillId: string, atMs: number, minutes: number): Outcome {
  const [calm, hurt] = [
    new Estate(scenario, atMs, atMs - 30 * MINUTE_MS),
    new Estate(scenario, atMs, atMs - 30 * MINUTE_MS),
  ];
  hurt.world.advance(atMs);
  if (!hurt.startDrill(drillId, atMs)) throw new Error(`There is no drill “${drillId}”.`);
  const worst = new Map<string, number>();
  const note = (service: string | undefined, level: number) => {
    if (service !== undefined) worst.set(service, Math.max(worst.get(service) ?? 0, level));
  };
  // People have changed their ways, or a benign load is larger: that is not harm.
  for (let minute = 1; minute <= minutes; minute++) {
    const [before, now] = [new Map<number, Level>(), new Map<number, Level>()];
    for (let look = 1; look <= LOOKS; look++) {
      const at = atMs + (minute - 1 + look / LOOKS) * MINUTE_MS;
      calm.world.advance(at);
      hurt.world.advance(at);
      for (const { index } of hurt.world.layout.loads) {
        addTo(before, index, levelOf(calm, index));
        addTo(now, index, levelOf(hurt, index));
      }
    }
    for (const load of hurt.world.layout.loads) {
      const [calmly, hurtly] = [before.get(load.index) ?? NONE, now.get(load.index) ?? NONE];
      const failing = (hurtly.failing - calmly.failing) / LOOKS;
      const isSlower = hurtly.seconds > SLOWER * calmly.seconds;
      note(load.spec.service, failing > DOWN ? 2 : failing > DEGRADED || isSlower ? 1 : 0);
    }
    for (const queue of hurt.world.layout.queues) {
      const service = hurt.world.layout.loads.find((load) => load.targets.some((one) => leadsTo(one, queue)))?.spec
        .service;
      const more = (hurt.world.state.queue.depth[queue.index] ?? 0) - (calm.world.state.queue.depth[queue.index] ?? 0);
      const failing = (estate: Estate) =>
        Math.max(
          0,
          ...queue.consumers.map((one) =>
            estate.world.isRunning(one.station) ? (estate.world.state.operation.failing[one.index] ?? 0) : 0,
          ),
        );
      note(service, more > WAITING || failing(hurt) - failing(calm) > DEGRADED ? 1 : 0);
    }
  }
  const at = (level: number) =>
    [...worst]
      .filter(([, one]) => one === level)
      .map(([name]) => name)
      .sort();
  return { degraded: at(1), down: at(2) };
}

/** Whether what an operation calls hands something over to a queue. */
function leadsTo(operation: Operation, queue: Queue): boolean {
  return operation.calls.some((call) => call.queue === queue || call.targets.some((one) => leadsTo(one, queue)));
}

interface Level {
  failing: number;
  seconds: number;
}

const NONE: Level = { failing: 0, seconds: 0 };

function addTo(sums: Map<number, Level>, index: number, { failing, seconds }: Level): void {
  const sum = sums.get(index) ?? NONE;
  sums.set(index, { failing: sum.failing + failing, seconds: sum.seconds + seconds });
}

function levelOf(estate: Estate, index: number): Level {
  const { state, layout } = estate.world;
  const targets = layout.loads[index]?.targets.filter((one) => state.station.running[one.station.index]) ?? [];
  const seconds = targets.reduce((sum, one) => sum + (state.operation.responseSeconds[one.index] ?? 0), 0);
  return { failing: state.load.failing[index] ?? 0, seconds: targets.length ? seconds / targets.length : 0 };
}

/** Change of a share of processors, memory or disk that can be seen. */
const SEEN = 0.08;

/** So much more of what goes over a line lost shows as errors at the ports of both its ends. */
const LOST = 0.001;

/**
 * Everything that a fault can be felt at, by name: hosts, and processes as “process @ host”. Minute by minute the world
 * with the fault is compared with the one without it.
 */
export function touchedBy(scenario: Scenario, faultId: string, atMs: number, minutes: number): Set<string> {
  const fault = scenario.faults.find((one) => one.id === faultId);
  if (!fault) throw new Error(`There is no fault “${faultId}”.`);
  const [calm, hurt] = [new Estate(scenario, atMs, atMs - MINUTE_MS), new Estate(scenario, atMs, atMs - MINUTE_MS)];
  hurt.world.advance(atMs);
  hurt.world.begin(fault, atMs, undefined);
  const touched = new Set<string>();
  for (let look = 1; look <= minutes * LOOKS; look++) {
    calm.world.advance(atMs + (look / LOOKS) * MINUTE_MS);
    hurt.world.advance(atMs + (look / LOOKS) * MINUTE_MS);
    const [before, now] = [calm.world.state, hurt.world.state];
    for (const machine of hurt.world.layout.machines) {
      const at = machine.index;
      const differs = (column: Float64Array, other: Float64Array, size: number) =>
        Math.abs((column[at] ?? 0) - (other[at] ?? 0)) / size > SEEN;
      if (
        calm.world.isReached(machine) !== hurt.world.isReached(machine) ||
        differs(before.machine.cores, now.machine.cores, machine.role.cores) ||
        differs(before.machine.memoryBytes, now.machine.memoryBytes, machine.role.memoryGiB * 1024 ** 3) ||
        differs(before.machine.stolen, now.machine.stolen, 100) ||
        machine.disks.some(
          ({ index }) =>
            Math.abs((before.disk.usedShare[index] ?? 0) - (now.disk.usedShare[index] ?? 0)) > SEEN ||
            (now.disk.slowdown[index] ?? 1) > SLOWER * (before.disk.slowdown[index] ?? 1),
        )
      )
        touched.add(machine.name);
      for (const station of machine.stations)
        if (isHurt(calm, hurt, station.index)) touched.add(`${station.spec.name} @ ${machine.name}`);
    }
    for (const { index, ends } of hurt.world.layout.links)
      if ((now.link.loss[index] ?? 0) - (before.link.loss[index] ?? 0) > LOST)
        for (const end of ends) touched.add(end.name);
  }
  return touched;
}

/** Whether a process answers otherwise than it would have, or does not run. */
function isHurt(calm: Estate, hurt: Estate, index: number): boolean {
  const [before, now] = [calm.world.state, hurt.world.state];
  if (before.station.running[index] !== now.station.running[index]) return true;
  const operations = hurt.world.layout.stations[index]?.operations ?? [];
  return operations.some(({ index: at }) => {
    const slower = (now.operation.responseSeconds[at] ?? 0) / Math.max(1e-4, before.operation.responseSeconds[at] ?? 0);
    return slower > SLOWER || (now.operation.failing[at] ?? 0) - (before.operation.failing[at] ?? 0) > DEGRADED;
  });
}
