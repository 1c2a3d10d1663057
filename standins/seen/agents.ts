import type { Point } from "../../agent/measure";
import { scatter, seedOf, wander } from "../rhythm";
import { MIB, type Container } from "../world/layout";
import type { Estate } from "./estate";
import type { HostView } from "./host-view";

const MINUTE_MS = 60_000;

/**
 * Something whose agent measures it: a host, or a container on it. What it measures stays the same, only the values
 * change.
 */
export interface Measured {
  host: HostView;
  attributes: Record<string, string>;
  metrics: readonly Omit<Point, "value">[];
  /** Values in the order of the metrics; undefined while nothing reports. */
  valuesAt: (atMs: number) => number[] | undefined;
}

const AGENT = { "telemetry.distro.name": "holotaxis-agent", "telemetry.distro.version": "0.1.0" };
export const REPORT_SECONDS = 15;

/** 64 hexadecimal digits, always the same for the same container on the same host. */
export function containerId({ seed }: Container): string {
  return Array.from({ length: 8 }, (_, part) => (seedOf(`id${part}`, seed) >>> 0).toString(16).padStart(8, "0")).join(
    "",
  );
}

function ofHost(host: HostView): Measured {
  const { machine, world } = host;
  return {
    host,
    attributes: {
      "host.name": host.fullName,
      "host.ip": host.address,
      "os.type": "linux",
      "host.processors": String(host.world.coresOf(machine)),
      "host.memory.bytes": String(machine.role.memoryGiB * 1024 ** 3),
      "report.seconds": String(REPORT_SECONDS),
      ...AGENT,
    },
    metrics: [
      { metric: "cpu.stolen", instance: "", unit: "%" },
      { metric: "pressure", instance: "cpu", unit: "%" },
      { metric: "pressure", instance: "io", unit: "%" },
      { metric: "pressure", instance: "memory", unit: "%" },
    ],
    valuesAt: (atMs) => {
      if (!host.answers(atMs)) return undefined;
      const { state } = world;
      const at = machine.index;
      const sway = 0.2 + 0.15 * wander(machine.seed + 3, atMs, 5 * MINUTE_MS);
      // Share of the time in which something that could run waited for a processor.
      const waits = sway + 100 * (1 - 1 / (state.machine.stretch[at] as number));
      const busiest = Math.max(0, ...machine.disks.map((disk) => state.disk.busy[disk.index] as number));
      const io = Math.max(0, 0.4 + 0.3 * wander(machine.seed + 4, atMs, 7 * MINUTE_MS) + 90 * busiest ** 2);
      const memory = 100 * (1 - 1 / (state.machine.paging[at] as number));
      return [state.machine.stolen[at] as number, waits, io, memory].map(
        (value) => Math.round(Math.min(100, value) * 100) / 100,
      );
    },
  };
}

/** What a container uses: processors, percent of its limit, percent held back, bytes, percent of its limit. */
export function ofContainer(host: HostView, container: Container): Measured {
  const { world, machine } = host;
  const { spec, seed } = container;
  const station = machine.stations.find((one) => one.container === container);
  return {
    host,
    attributes: {
      "container.id": containerId(container),
      "container.name": spec.name,
      "container.image.name": spec.image,
      ...(station ? { "process.executable.name": station.spec.name } : {}),
      "host.name": host.fullName,
      "telemetry.distro.name": AGENT["telemetry.distro.name"],
    },
    metrics: [
      { metric: "container.cpu.usage", instance: "", unit: "{cpu}" },
      { metric: "container.cpu.used", instance: "", unit: "%" },
      { metric: "container.cpu.throttled", instance: "", unit: "%" },
      { metric: "container.memory.usage", instance: "", unit: "By" },
      { metric: "container.memory.used", instance: "", unit: "%" },
    ],
    valuesAt: (atMs) => {
      if (!host.answers(atMs) || (station && !world.isRunning(station))) return undefined;
      const { state } = world;
      const limit = world.mods.quotaCpu[container.index] as number;
      const level = machine.rhythm.level(atMs);
      const wanted = station
        ? (state.station.cores[station.index] as number) + (state.station.spinCores[station.index] as number)
        : spec.cpu * (0.1 + 0.9 * level) * (1 + 0.15 * wander(seed, atMs, 4 * MINUTE_MS)) +
          0.02 * scatter(seed, Math.floor(atMs / 15_000));
      const used = Math.min(limit, Math.max(0, wanted));
      // It is held back the more often, the nearer what it wants comes to its quota.
      const share = wanted / limit;
      const throttled = station
        ? (state.station.throttled[station.index] as number)
        : share < 0.75
          ? 0
          : Math.min(100, (share - 0.75) * 160);
      const own = spec.memoryMiB * MIB * (1 + 0.05 * level + 0.02 * wander(seed + 1, atMs, 9 * MINUTE_MS));
      const memory = Math.round((station ? (state.station.memoryBytes[station.index] as number) : own) / 4096) * 4096;
      return [
        Math.round(used * 1000) / 1000,
        Math.round((used / limit) * 10_000) / 100,
        Math.round(throttled * 100) / 100,
        memory,
        Math.round((memory / world.memoryQuota(container.index)) * 10_000) / 100,
      ];
    },
  };
}

/** Everything in the estate that the host agent measures, in a fixed order. */
export function measuredOf(estate: Estate): Measured[] {
  return estate.hosts.flatMap((host) =>
    host.role.agent ? [ofHost(host), ...host.machine.containers.map((one) => ofContainer(host, one))] : [],
  );
}
