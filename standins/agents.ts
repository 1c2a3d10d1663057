import type { Point } from "../agent/measure";
import type { EstateModel, HostModel } from "./model";
import { scatter, seedOf, wander } from "./rhythm";
import type { ScenarioContainer } from "./scenario";

const MINUTE_MS = 60_000;
const MIB = 1024 ** 2;

/**
 * Something whose agent measures it: a host, or a container on it. What it measures stays the same, only the values
 * change.
 */
export interface Measured {
  host: HostModel;
  attributes: Record<string, string>;
  metrics: readonly Omit<Point, "value">[];
  /** Values in the order of the metrics; undefined while nothing reports. */
  valuesAt: (atMs: number) => number[] | undefined;
}

const AGENT = { "telemetry.distro.name": "holotaxis-agent", "telemetry.distro.version": "0.1.0" };
export const REPORT_SECONDS = 15;

/** 64 hexadecimal digits, always the same for the same container on the same host. */
function containerId(host: HostModel, name: string): string {
  const seed = seedOf(name, host.seed);
  return Array.from({ length: 8 }, (_, part) => (seedOf(`id${part}`, seed) >>> 0).toString(16).padStart(8, "0")).join(
    "",
  );
}

function ofHost(host: HostModel): Measured {
  const hostName = `${host.name}.halvane.example`;
  return {
    host,
    attributes: {
      "host.name": hostName,
      "host.ip": host.address,
      "os.type": "linux",
      "host.processors": String(host.role.cores),
      "host.memory.bytes": String(host.role.memoryGiB * 1024 ** 3),
      "report.seconds": String(REPORT_SECONDS),
      ...AGENT,
    },
    metrics: [
      { metric: "cpu.stolen", instance: "", unit: "%" },
      { metric: "pressure", instance: "cpu", unit: "%" },
      { metric: "pressure", instance: "io", unit: "%" },
    ],
    valuesAt: (atMs) => {
      if (!host.isUp(atMs)) return undefined;
      const stolen = host.stolenPercent(atMs);
      const waits =
        0.2 + 6 * host.level(atMs) ** 2 * (1 + 0.3 * wander(host.seed + 3, atMs, 5 * MINUTE_MS)) + stolen * 0.7;
      const io = Math.max(0, 0.8 + 0.6 * wander(host.seed + 4, atMs, 7 * MINUTE_MS));
      return [stolen, waits, io].map((value) => Math.round(Math.min(100, value) * 100) / 100);
    },
  };
}

function ofContainer(host: HostModel, spec: ScenarioContainer): Measured {
  const seed = seedOf(spec.name, host.seed);
  const id = containerId(host, spec.name);
  return {
    host,
    attributes: {
      "container.id": id,
      "container.name": spec.name,
      "container.image.name": spec.image,
      "host.name": `${host.name}.halvane.example`,
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
      if (!host.isUp(atMs)) return undefined;
      const wanted =
        spec.cpu * (0.1 + 0.9 * host.level(atMs)) * (1 + 0.15 * wander(seed, atMs, 4 * MINUTE_MS)) +
        0.02 * scatter(seed, Math.floor(atMs / 15_000));
      const used = Math.min(spec.cpuLimit, Math.max(0, wanted));
      // It is held back the more often, the nearer what it wants comes to its quota.
      const share = wanted / spec.cpuLimit;
      const throttled = share < 0.75 ? 0 : Math.min(100, (share - 0.75) * 160);
      const memory =
        Math.round(
          (spec.memoryMiB * MIB * (1 + 0.05 * host.level(atMs) + 0.02 * wander(seed + 1, atMs, 9 * MINUTE_MS))) / 4096,
        ) * 4096;
      return [
        Math.round(used * 1000) / 1000,
        Math.round((used / spec.cpuLimit) * 10_000) / 100,
        Math.round(throttled * 100) / 100,
        memory,
        Math.round((memory / (spec.memoryLimitMiB * MIB)) * 10_000) / 100,
      ];
    },
  };
}

/** Everything in the estate that the host agent measures, in a fixed order. */
export function measuredOf(estate: EstateModel): Measured[] {
  return estate.hosts.flatMap((host) =>
    host.role.agent ? [ofHost(host), ...host.role.containers.map((spec) => ofContainer(host, spec))] : [],
  );
}
