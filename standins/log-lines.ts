import type { EstateModel, HostModel } from "./model";
import { scatter, seedOf } from "./rhythm";
import type { Scenario, ScenarioOutput } from "./scenario";

/** Somebody in the estate that says something: a process of a host, or a switch. */
export interface Sender {
  host: HostModel;
  process: HostModel["processes"][number] | undefined;
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

export function sendersOf(estate: EstateModel): Sender[] {
  const { outputs } = estate.scenario;
  return estate.hosts.flatMap((host): Sender[] => {
    if (host.role.system === "switch")
      return outputs.switch ? [{ host, process: undefined, output: outputs.switch }] : [];
    return host.processes.flatMap((process) => {
      const output = outputs[process.spec.name];
      return output ? [{ host, process, output }] : [];
    });
  });
}

/** What a sender says of itself: resource attributes of a process, what syslog shows of a switch. */
export function attributesOf({ host, process }: Sender, atMs: number): Record<string, string> {
  if (!process) return { "source.address": host.address, "host.name": host.name, "app.name": "switchd" };
  return {
    "host.name": `${host.name}.halvane.example`,
    "service.name": process.spec.name,
    "service.version": host.versionOf(process, atMs),
  };
}

/** How many of something that comes `perHour` times come in a minute; the same minute always gives the same. */
export function countIn(seed: number, minute: number, perHour: number): number {
  const expected = perHour / 60;
  return Math.floor(expected + scatter(seed, minute));
}

/** What a sender says after `fromMs` and up to `toMs`, in order. It depends on seed and instant only. */
export function linesBetween(scenario: Scenario, sender: Sender, fromMs: number, toMs: number): LogLine[] {
  const { host, process, output } = sender;
  const said: LogLine[] = [];
  const base = process?.seed ?? host.seed;
  for (let minute = Math.floor(fromMs / MINUTE_MS); minute * MINUTE_MS <= toMs; minute++) {
    const middle = minute * MINUTE_MS + MINUTE_MS / 2;
    if (process ? !host.isRunning(process, middle) : !host.isUp(middle)) continue;
    const level = 0.15 + 0.85 * host.level(middle);
    output.lines.forEach((line, which) => {
      if (line.fromVersion && process && host.versionOf(process, middle) < line.fromVersion) return;
      const seed = seedOf(String(which), base);
      const count = countIn(seed, minute, line.perHour * (line.during ? host.suffers(middle, line.during) : level));
      for (let index = 0; index < count; index++) {
        const own = seedOf(`${minute}.${index}`, seed);
        const atMs = minute * MINUTE_MS + Math.floor(scatter(own, 1) * MINUTE_MS);
        if (atMs <= fromMs || atMs > toMs) continue;
        said.push({ atMs, severity: SEVERITY[line.severity], text: fill(line.text, scenario.words, own) });
      }
    });
  }
  return said.sort((a, b) => a.atMs - b.atMs);
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
