import { z } from "zod";
import { parseRanges, inSpans } from "#core/estate/ranges";
import { parseDurationMs } from "#core/time/windows";

const name = z
  .string()
  .regex(/^[a-z][a-z0-9-]{0,40}$/, "use small letters, digits and hyphens, starting with a letter");
const duration = z
  .string()
  .refine((text) => parseDurationMs(text) !== undefined, "write an ISO 8601 duration such as P2DT3H or PT40M");
const share = z.number().min(0).max(1);

const rhythm = z.union([
  z.strictObject({
    /** Level of each hour of the day, UTC, 24 numbers. */
    hours: z.array(share).length(24),
    /** Factor of each weekday, Monday first. */
    weekdays: z.array(share).length(7),
  }),
  z.strictObject({ tide: z.strictObject({ periodHours: z.number().min(1).max(100), depth: share }) }),
]);

const listener = z.strictObject({
  port: z.number().int().min(1024).max(65_535),
  /** What the port says: an HTTP answer, a line on connecting, or nothing until it is spoken to. */
  speaks: z.enum(["http", "banner", "silent"]),
  title: z.string().max(80).optional(),
  banner: z.string().max(120).optional(),
});

const talk = z.strictObject({
  /** Role whose hosts are called. */
  role: name,
  process: z.string().min(1).max(40),
  connections: z.number().int().min(1).max(50).default(2),
  /** All hosts of the role, or only those at the same site (all of them where the site has none). */
  reach: z.enum(["all", "same-site"]).default("all"),
});

const processSchema = z.strictObject({
  name: z.string().regex(/^[a-z][a-z0-9-]{0,30}$/),
  version: z.string().max(20).default("1.0.0"),
  parameters: z.string().max(120).default(""),
  memoryMiB: z.number().min(1).max(1_000_000),
  /** Share of one core at full rhythm. */
  cpu: z.number().min(0).max(64).default(0.2),
  listens: z.array(listener).max(10).default([]),
  talksTo: z.array(talk).max(20).default([]),
});

const container = z.strictObject({
  name,
  image: z.string().max(80).default(""),
  /** Processors wanted at full rhythm, and those its quota allows. */
  cpu: z.number().min(0).max(64),
  cpuLimit: z.number().min(0.01).max(64),
  memoryMiB: z.number().min(1).max(1_000_000),
  memoryLimitMiB: z.number().min(1).max(1_000_000),
});

const role = z.strictObject({
  system: z.enum(["linux", "switch", "hypervisor"]),
  rhythm: name,
  cores: z.number().int().min(1).max(128),
  memoryGiB: z.number().min(0.1).max(4096),
  /** Percent of processor at no rhythm and at full rhythm. */
  cpu: z.tuple([z.number().min(0).max(100), z.number().min(0).max(100)]),
  disks: z
    .array(
      z.strictObject({
        mount: z.string().min(1).max(40),
        sizeGiB: z.number().min(1),
        usedPercent: z.number().min(0).max(99),
      }),
    )
    .max(10)
    .default([]),
  /** Megabits a second at full rhythm on the first interface. */
  trafficMbps: z.number().min(0).max(100_000).default(20),
  processes: z.array(processSchema).max(30).default([]),
  /** Whether the host agent runs there; it tells of the containers too. */
  agent: z.boolean().default(false),
  containers: z.array(container).max(50).default([]),
});

const host = z.strictObject({
  name,
  role: name,
  site: name,
  address: z.string(),
  /** How long before the present it was put in; always there when left out. */
  since: duration.optional(),
  /** The hypervisor it is a virtual machine of. */
  on: name.optional(),
});

const figure = z.strictObject({
  /** OpenMetrics name. */
  metric: z.string().regex(/^[a-z_][a-z0-9_]{2,60}$/),
  help: z.string().max(120),
  host: name,
  port: z.number().int(),
  rhythm: name,
  low: z.number(),
  high: z.number(),
  /** Share of the value that it wanders by. */
  wander: share.default(0.06),
});

const effect = z.discriminatedUnion("type", [
  z.strictObject({
    type: z.literal("memory-leak"),
    process: z.string(),
    toPercent: z.number().min(1).max(99),
    riseSeconds: z.number().min(1),
  }),
  z.strictObject({
    type: z.literal("disk-fill"),
    mount: z.string(),
    toPercent: z.number().min(1).max(100),
    riseSeconds: z.number().min(1),
  }),
  z.strictObject({
    type: z.literal("cpu-runaway"),
    process: z.string(),
    toPercent: z.number().min(1).max(100),
    riseSeconds: z.number().min(1),
  }),
  z.strictObject({ type: z.literal("power-loss") }),
  /** One virtual machine takes the processors of its hypervisor from all others. */
  z.strictObject({
    type: z.literal("guest-hog"),
    guest: name,
    toPercent: z.number().min(1).max(100),
    riseSeconds: z.number().min(1),
  }),
]);

const fault = z.strictObject({
  id: name,
  title: z.string().min(1).max(80),
  story: z.string().min(1).max(400),
  host: name,
  effect,
  /** A business figure that suffers, and what it is multiplied by at full effect. */
  figure: z.strictObject({ metric: z.string(), factor: z.number().min(0).max(100) }).optional(),
  /** The known answer. */
  cause: z.string().min(1).max(200),
  repair: z.string().min(1).max(200),
});

/** What a process, or every switch, says: log lines, and requests it answers. */
const output = z.strictObject({
  lines: z
    .array(
      z.strictObject({
        /** Text with {number}, {id}, {address} or the name of a word list in braces. */
        text: z.string().min(1).max(300),
        severity: z.enum(["debug", "info", "notice", "warning", "error", "critical"]).default("info"),
        /** At full rhythm; with `during` at full effect of that fault. */
        perHour: z.number().min(0.001).max(3600),
        /** Said only where this fault is at work. */
        during: name.optional(),
        /** Said only from this version of the process on. */
        fromVersion: z.string().max(20).optional(),
      }),
    )
    .max(40)
    .default([]),
  requests: z
    .array(
      z.strictObject({
        method: z.enum(["GET", "POST", "PUT", "DELETE"]).default("GET"),
        route: z.string().min(1).max(80),
        perHour: z.number().min(0.1).max(360_000),
        /** Median; the slowest in a hundred take about five times as long. */
        milliseconds: z.number().min(0.1).max(60_000),
        failPercent: z.number().min(0).max(100).default(0.2),
      }),
    )
    .max(12)
    .default([]),
});

const past = z.strictObject({ fault: name, host: name.optional(), before: duration, lasts: duration });
const upgrade = z.strictObject({ host: name, process: z.string(), version: z.string().max(20), before: duration });

export const scenarioSchema = z.strictObject({
  name: z.string().min(1).max(80),
  seed: z.number().int(),
  snmpPort: z.number().int().min(1024).max(65_535),
  sshPort: z.number().int().min(1024).max(65_535),
  sites: z
    .array(
      z.strictObject({
        id: name,
        name: z.string().max(60),
        network: z.string(),
        community: z.string().min(1).max(60),
        contact: z.string().max(80),
      }),
    )
    .min(1)
    .max(50),
  rhythms: z.record(name, rhythm),
  roles: z.record(name, role),
  hosts: z.array(host).min(1).max(5000),
  figures: z.array(figure).max(100).default([]),
  faults: z.array(fault).max(100).default([]),
  /** Lists of words for the lines. */
  words: z.record(name, z.array(z.string().min(1).max(40)).min(1).max(50)).default({}),
  /** By name of the process; "switch" for every switch. */
  outputs: z.record(name, output).default({}),
  past: z.array(past).max(200).default([]),
  upgrades: z.array(upgrade).max(200).default([]),
});

export type Scenario = z.infer<typeof scenarioSchema>;
export type ScenarioRole = Scenario["roles"][string];
export type ScenarioProcess = ScenarioRole["processes"][number];
export type ScenarioListener = ScenarioProcess["listens"][number];
export type ScenarioContainer = ScenarioRole["containers"][number];
export type ScenarioFault = Scenario["faults"][number];
export type ScenarioOutput = Scenario["outputs"][string];
export type Rhythm = Scenario["rhythms"][string];

export type ScenarioResult = { ok: true; scenario: Scenario } | { ok: false; problems: string[] };

/** Files written before have their outputs under another name. */
function withoutFormerNames(json: unknown): unknown {
  if (typeof json !== "object" || json === null || !("voices" in json) || "outputs" in json) return json;
  const { voices, ...rest } = json;
  return { ...rest, outputs: voices };
}

/**
 * Reads a scenario from parsed JSON: first its shape, then every reference in it. Each problem is a sentence with its
 * place.
 */
export function readScenario(json: unknown): ScenarioResult {
  const parsed = scenarioSchema.safeParse(withoutFormerNames(json));
  if (!parsed.success)
    return {
      ok: false,
      problems: parsed.error.issues
        .slice(0, 20)
        .map((issue) => `${issue.path.join(".") || "the file"}: ${issue.message}.`),
    };
  const problems = danglingReferences(parsed.data);
  return problems.length ? { ok: false, problems: problems.slice(0, 20) } : { ok: true, scenario: parsed.data };
}

function danglingReferences(scenario: Scenario): string[] {
  const problems: string[] = [];
  const hosts = new Map(scenario.hosts.map((one) => [one.name, one]));
  const sites = new Map(scenario.sites.map((site) => [site.id, site]));
  const faults = new Map(scenario.faults.map((one) => [one.id, one]));
  const metrics = new Set(scenario.figures.map((one) => one.metric));
  const missing = (place: string, what: string, id: string, known: Iterable<string>) => {
    const list = [...known];
    problems.push(
      `${place}: there is no ${what} “${id}”. Known are ${list.slice(0, 8).join(", ")}${list.length > 8 ? " and more" : ""}.`,
    );
  };
  if (hosts.size !== scenario.hosts.length) problems.push("hosts: two hosts have the same name. Give each its own.");
  const addresses = new Set<string>();
  const before = new Set<string>();
  for (const [id, one] of Object.entries(scenario.roles)) {
    if (one.containers.length && !one.agent)
      problems.push(
        `roles.${id}.containers: nobody tells of containers on a host without an agent. Set “agent” to true.`,
      );
    if (!(one.rhythm in scenario.rhythms))
      missing(`roles.${id}.rhythm`, "rhythm", one.rhythm, Object.keys(scenario.rhythms));
    for (const process of one.processes)
      for (const target of process.talksTo) {
        const called = scenario.roles[target.role];
        if (!called) missing(`roles.${id}.${process.name}.talksTo`, "role", target.role, Object.keys(scenario.roles));
        else {
          const listening = called.processes.filter((other) => other.listens.length);
          if (!listening.some((other) => other.name === target.process))
            missing(
              `roles.${id}.${process.name}.talksTo`,
              `listening process in role ${target.role} named`,
              target.process,
              listening.map((other) => other.name),
            );
        }
      }
  }
  for (const one of scenario.hosts) {
    if (!(one.role in scenario.roles)) missing(`hosts.${one.name}.role`, "role", one.role, Object.keys(scenario.roles));
    const site = sites.get(one.site);
    if (!site) missing(`hosts.${one.name}.site`, "site", one.site, sites.keys());
    else {
      const network = parseRanges(site.network);
      if (!network.ok) problems.push(`sites.${site.id}.network: ${network.problem}`);
      else if (!inSpans(one.address, network.spans))
        problems.push(
          `hosts.${one.name}.address: ${one.address} is not in ${site.network}, the network of ${site.name}.`,
        );
    }
    if (!one.address.startsWith("127."))
      problems.push(`hosts.${one.name}.address: stand-ins listen on loopback addresses (127.x.y.z) only.`);
    if (one.on !== undefined && !before.has(one.on) && hosts.has(one.on))
      problems.push(`hosts.${one.name}.on: write ${one.on} before its virtual machines.`);
    before.add(one.name);
    const below = one.on === undefined ? undefined : hosts.get(one.on);
    if (one.on !== undefined && !below) missing(`hosts.${one.name}.on`, "host", one.on, hosts.keys());
    else if (below && scenario.roles[below.role]?.system !== "hypervisor")
      problems.push(`hosts.${one.name}.on: ${one.on} is no hypervisor. Give its role the system “hypervisor”.`);
    if (addresses.has(one.address)) problems.push(`hosts.${one.name}.address: ${one.address} is used twice.`);
    addresses.add(one.address);
  }
  scenario.figures.forEach((one) => {
    if (!hosts.has(one.host)) missing(`figures.${one.metric}.host`, "host", one.host, hosts.keys());
    if (!(one.rhythm in scenario.rhythms))
      missing(`figures.${one.metric}.rhythm`, "rhythm", one.rhythm, Object.keys(scenario.rhythms));
  });
  for (const one of scenario.faults) {
    const target = hosts.get(one.host);
    if (!target) missing(`faults.${one.id}.host`, "host", one.host, hosts.keys());
    const processes = (target && scenario.roles[target.role]?.processes.map((process) => process.name)) ?? [];
    if ("process" in one.effect && target && !processes.includes(one.effect.process))
      missing(`faults.${one.id}.effect.process`, `process on ${one.host} named`, one.effect.process, processes);
    if (one.effect.type === "guest-hog" && hosts.get(one.effect.guest)?.on !== one.host)
      problems.push(`faults.${one.id}.effect.guest: ${one.effect.guest} is not on ${one.host}.`);
    if (one.figure && !metrics.has(one.figure.metric))
      missing(`faults.${one.id}.figure.metric`, "figure", one.figure.metric, metrics);
  }
  for (const one of scenario.past) {
    if (!faults.has(one.fault)) missing("past", "fault", one.fault, faults.keys());
    if (one.host && !hosts.has(one.host)) missing("past", "host", one.host, hosts.keys());
  }
  const processNames = new Set([
    "switch",
    ...Object.values(scenario.roles).flatMap((one) => one.processes.map((process) => process.name)),
  ]);
  for (const [id, one] of Object.entries(scenario.outputs)) {
    if (!processNames.has(id)) missing("outputs", "process", id, processNames);
    for (const line of one.lines) {
      if (line.during && !faults.has(line.during)) missing(`outputs.${id}.lines`, "fault", line.during, faults.keys());
      for (const [, word] of line.text.matchAll(/\{([a-z-]+)\}/g))
        if (word && !["number", "id", "address"].includes(word) && !(word in scenario.words))
          missing(`outputs.${id}.lines`, "list of words", word, Object.keys(scenario.words));
    }
  }
  for (const one of scenario.upgrades) if (!hosts.has(one.host)) missing("upgrades", "host", one.host, hosts.keys());
  return problems;
}

/**
 * The same estate, larger: hosts are copied in turn until there are `count` (a hypervisor stands before its machines,
 * so that they find its copy), each copy with a name of its own and an address in 127.40.0.0/16 for copies of the
 * first site, 127.41.0.0/16 for those of the second, and so on.
 */
export function scaleScenario(scenario: Scenario, count: number): Scenario {
  const hosts = [...scenario.hosts];
  const models = scenario.hosts.filter((one) => !one.since);
  const taken: number[] = [];
  for (let index = 0; hosts.length < count; index++) {
    const model = models[index % models.length] as Scenario["hosts"][number];
    const copy = Math.floor(index / models.length) + 2;
    const site = scenario.sites.findIndex((one) => one.id === model.site);
    const place = taken[site] ?? 0;
    taken[site] = place + 1;
    hosts.push({
      ...model,
      ...(model.on ? { on: `${model.on}-x${copy}` } : {}),
      name: `${model.name}-x${copy}`,
      address: `127.${40 + site}.${Math.floor(place / 250)}.${(place % 250) + 1}`,
    });
  }
  return { ...scenario, hosts };
}
