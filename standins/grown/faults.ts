import type { z } from "zod";
import { outcomeOf, touchedBy } from "../scenario/outcome";
import { readScenario } from "../scenario/read";
import type { Scenario, scenarioSchema } from "../scenario/schema";
import { Chance } from "./chance";
import { growEstate, type DraftProcess, type GrownEstate, type Station, type Work } from "./estate";

type Draft = z.input<typeof scenarioSchema>;
type Fault = NonNullable<Draft["faults"]>[number];
type Drill = NonNullable<Draft["drills"]>[number];
type Thing = Drill["answer"]["roots"][number][number];

/** A fault with the things that count as having named it. */
interface Grown {
  fault: Omit<Fault, "id" | "title" | "story" | "cause" | "repair">;
  group: string;
  roots: Thing[];
}

/** An instant at which there is much to do: a fault that is felt nowhere then is none to find. */
const BUSY_MS = Date.parse("2026-03-17T10:00:00Z");
/** Minutes within which a fault has to be felt, and how often another place is looked for. */
const FELT_MINUTES = 5;
const TRIES = 6;

/** What goes wrong with a host itself has to be found whoever feels it. */
const OF_HOSTS: ReadonlySet<string> = new Set(["power", "disk", "memory"]);

/** Chooses where a fault is, and how strong, in an estate. */
class Choice {
  constructor(
    readonly estate: GrownEstate,
    readonly chance: Chance,
  ) {}

  /** A station of one of these kinds that does something; there may be none. */
  of(...works: Work[]): (Station & { spec: DraftProcess; host: string; cores: number }) | undefined {
    const fitting = this.estate.stations.filter((one) => works.includes(one.work));
    if (!fitting.length) return undefined;
    const station = this.chance.one(fitting);
    const role = this.estate.draft.roles[station.role];
    const spec = role?.processes?.find((one) => one.name === station.process);
    if (!spec || !role) return undefined;
    return { ...station, spec, host: this.chance.one(station.hosts), cores: role.cores };
  }
}

const onProcess = (host: string, process: string): Thing[] => [{ host, process }, { host }];
const onHost = (host: string, process?: string): Thing[] => [
  { host },
  ...(process === undefined ? [] : [{ host, process }]),
];

const switchesOf = ({ draft }: GrownEstate, site: string): Thing[] =>
  draft.hosts.flatMap((one) => (one.role === "core-switch" && one.site === site ? [{ host: one.name }] : []));

/** A kind of fault: where it may be is looked for in whatever estate it is. */
type Kind = (choice: Choice) => Grown | undefined;

/** A process whose fault a restart ends. */
const ofProcess =
  (
    group: string,
    works: Work[],
    effect: (choice: Choice, at: NonNullable<ReturnType<Choice["of"]>>) => object | undefined,
  ): Kind =>
  (choice) => {
    const at = choice.of(...works);
    const given = at && effect(choice, at);
    if (!at || !given) return undefined;
    return {
      fault: {
        effects: [{ host: at.host, process: at.process, ...given } as Fault["effects"][number]],
        endedBy: [{ do: "restart", host: at.host, process: at.process }],
      },
      group,
      roots: onProcess(at.host, at.process),
    };
  };

/** A release of one instance: its version, and what came with it. */
const release =
  (effect: (choice: Choice, operation: string) => object): Kind =>
  (choice) => {
    const at = choice.of("app", "box", "web");
    if (!at) return undefined;
    const operation = choice.chance.one(at.spec.operations ?? []).name;
    const version = `${Number.parseInt(at.spec.version ?? "1", 10) + 1}.0.0`;
    return {
      fault: {
        effects: [
          { what: "version", host: at.host, process: at.process, version },
          {
            host: at.host,
            process: at.process,
            operation,
            afterSeconds: 10,
            ...effect(choice, operation),
          } as Fault["effects"][number],
        ],
        change: {
          what: "release",
          host: at.host,
          process: at.process,
          text: `${at.process} ${version}`,
          by: "Release cart",
          ticket: "T-100",
        },
        endedBy: [{ do: "roll-back", host: at.host, process: at.process }],
      },
      group: "release",
      roots: onProcess(at.host, at.process),
    };
  };

const dark =
  (works: Work[]): Kind =>
  (choice) => {
    const at = choice.of(...works);
    return (
      at && {
        fault: { effects: [{ what: "power", host: at.host }], endedBy: [{ do: "power-on", host: at.host }] },
        group: "power",
        roots: onHost(at.host),
      }
    );
  };

const line =
  (effect: (chance: Chance) => object): Kind =>
  ({ estate, chance }) => {
    const between = chance.one(estate.draft.links ?? []).between as [string, string];
    const switches = estate.draft.hosts.filter(
      (one) => one.role === "core-switch" && between.includes(one.site) && one.name.endsWith("sw-1"),
    );
    return {
      fault: {
        effects: [{ what: "link", between, ...effect(chance) } as Fault["effects"][number]],
        endedBy: [{ do: "mend-link", between }],
      },
      group: "line",
      roots: [{ between }, ...switches.map(({ name }): Thing => ({ host: name }))],
    };
  };

/** All kinds of faults, by the name that their drills begin with. */
const KINDS: Record<string, Kind> = {
  spins: ofProcess("application", ["app", "box", "web", "worker"], (_, { cores }) => ({
    what: "spin",
    threads: cores * 20,
    riseSeconds: 15,
  })),
  leaks: ofProcess("memory", ["app", "store", "web", "worker"], ({ chance }) => ({
    what: "leak",
    toPercent: chance.whole(97, 102),
    riseSeconds: chance.whole(60, 200),
  })),
  locked: ofProcess("store", ["store"], ({ chance }) => ({
    what: "lock",
    operation: "write",
    ms: chance.whole(2000, 5000),
  })),
  "too-few-connections": ofProcess("store", ["store"], ({ chance }) => ({
    what: "connection-limit",
    to: chance.whole(2, 5),
  })),
  "pool-used-up": ofProcess("application", ["app", "worker"], ({ chance }, { spec }) => {
    const target = spec.talksTo?.find((one) => one.process.endsWith("store"))?.process;
    return target === undefined ? undefined : { what: "pool", target, to: 0, riseSeconds: chance.whole(30, 90) };
  }),
  crashes: ofProcess("application", ["app", "box", "web"], ({ chance }) => ({
    what: "crash-loop",
    upSeconds: chance.whole(25, 60),
    downSeconds: chance.whole(10, 40),
  })),
  stopped: ofProcess("application", ["app", "web", "partner", "cache", "broker"], () => ({ what: "stop" })),
  fails: ofProcess("application", ["app", "box", "store"], ({ chance }) => ({
    what: "errors",
    percent: chance.whole(20, 70),
    says: "no such thing",
  })),
  slow: ofProcess("application", ["app", "directory", "partner"], ({ chance }, { work }) => ({
    what: "slower",
    times: work === "directory" ? chance.whole(150, 300) : chance.whole(15, 40),
    part: work === "partner" ? "rest" : "all",
    riseSeconds: 20,
  })),
  "release-fails": release(({ chance }) => ({
    what: "errors",
    percent: chance.whole(25, 70),
    says: "field is missing",
  })),
  "release-slow": release(({ chance }) => ({ what: "slower", times: chance.whole(20, 50), part: "all" })),
  "disk-slow": (choice) => {
    const at = choice.of("store", "broker");
    return (
      at && {
        fault: {
          effects: [
            { what: "slow-disk", host: at.host, mount: "/data", times: choice.chance.whole(80, 160), riseSeconds: 40 },
          ],
          endedBy: [{ do: "replace-disk", host: at.host, mount: "/data" }],
        },
        group: "disk",
        roots: onHost(at.host, at.process),
      }
    );
  },
  "disk-full": (choice) => {
    const at = choice.of("store", "broker");
    return (
      at && {
        fault: {
          effects: [
            { what: "fill", host: at.host, mount: "/data", toPercent: 100, riseSeconds: choice.chance.whole(60, 150) },
          ],
          endedBy: [{ do: "rotate", host: at.host, mount: "/data" }],
        },
        group: "disk",
        roots: onHost(at.host, at.process),
      }
    );
  },
  "host-dark": dark(["app", "web", "worker", "box"]),
  "data-dark": dark(["store", "cache", "broker", "directory", "partner"]),
  "base-dark": ({ estate, chance }) => {
    const used = estate.hypervisors.filter((one) => estate.draft.hosts.some((host) => host.on === one));
    if (!used.length) return undefined;
    const host = chance.one(used);
    return {
      fault: { effects: [{ what: "power", host }], endedBy: [{ do: "power-on", host }] },
      group: "power",
      roots: onHost(host),
    };
  },
  "line-loses": line((chance) => ({ lossPercent: chance.whole(12, 30), riseSeconds: 20 })),
  "line-cut": line(() => ({ cut: true })),
  "line-late": line((chance) => ({ delayMs: chance.whole(200, 500), riseSeconds: 20 })),
  "port-loses": (choice) => {
    const at = choice.of("app", "store", "web");
    return (
      at && {
        fault: {
          effects: [{ what: "link", host: at.host, lossPercent: choice.chance.whole(10, 25), riseSeconds: 20 }],
          endedBy: [{ do: "mend-link", host: at.host }],
        },
        group: "line",
        // It is lost between the host and the switch that it hangs on: both tell of it.
        roots: [...onHost(at.host), ...switchesOf(choice.estate, at.site)],
      }
    );
  },
  "certificate-old": (choice) => {
    const at = choice.of("partner");
    return (
      at && {
        fault: {
          effects: [{ what: "expired-certificate", host: at.host, process: at.process }],
          endedBy: [{ do: "renew-certificate", host: at.host, process: at.process }],
        },
        group: "software",
        roots: onProcess(at.host, at.process),
      }
    );
  },
  "workers-stuck": (choice) => {
    const at = choice.of("worker");
    return (
      at && {
        fault: {
          effects: [{ what: "stuck", role: at.role, process: at.process }],
          endedBy: at.hosts.map((host) => ({ do: "restart" as const, host, process: at.process })),
        },
        group: "queue",
        roots: at.hosts.map((host): Thing => ({ host, process: at.process })),
      }
    );
  },
  "half-put-in": ({ estate }) => {
    const spare = estate.draft.hosts.find((one) => one.spare);
    const talk = spare && estate.draft.roles[spare.role]?.processes?.[0]?.talksTo?.[0];
    if (!spare || !talk) return undefined;
    return {
      fault: {
        effects: [
          { what: "put-in", host: spare.name },
          { what: "closed-to", host: spare.name, target: talk.role },
        ],
        change: { what: "scale-out", host: spare.name, text: `${spare.name} put in`, by: "Operations" },
        endedBy: [
          { do: "open", host: spare.name },
          { do: "take-out", host: spare.name },
        ],
      },
      group: "software",
      roots: onHost(spare.name, estate.draft.roles[spare.role]?.processes?.[0]?.name),
    };
  },
  "quota-small": (choice) => {
    const at = choice.of("box");
    const [container] = (at && choice.estate.draft.roles[at.role]?.containers) ?? [];
    return at && container
      ? {
          fault: {
            effects: [{ what: "quota", host: at.host, container: container.name, cpu: 0.05 }],
            endedBy: [{ do: "quota", host: at.host, container: container.name }],
          },
          group: "software",
          roots: [...onProcess(at.host, at.process), { host: at.host, process: container.name }],
        }
      : undefined;
  },
  "clock-off": (choice) => {
    const at = choice.of("app", "web");
    return (
      at && {
        fault: {
          effects: [{ what: "drift", host: at.host, seconds: choice.chance.whole(300, 900) }],
          endedBy: [{ do: "set-clock", host: at.host }],
        },
        group: "software",
        roots: onHost(at.host),
      }
    );
  },
  shrunk: ({ estate, chance }) => {
    const guests = estate.draft.hosts.filter(
      (one) => one.on !== undefined && (estate.draft.roles[one.role]?.cores ?? 0) >= 3,
    );
    if (!guests.length) return undefined;
    const { name } = chance.one(guests);
    return {
      fault: { effects: [{ what: "resize", host: name, cores: 1 }], endedBy: [{ do: "resize", host: name }] },
      group: "software",
      roots: onHost(name),
    };
  },
};

const words = (kind: string) => kind.replaceAll("-", " ");

/**
 * An estate that nobody has seen, with drills: of the kinds of faults so many, each where it is felt in the busy forenoon, two
 * at once, and what is nothing wrong. Nothing of it is in the repository: the same seed gives the same one.
 * @param seed whole number
 * @param faults of how many kinds
 */
export function growScenario(seed: number, faults = 18): { scenario: Scenario; setup: object } {
  const estate = growEstate(seed);
  const { draft } = estate;
  const chance = new Chance(seed ^ 0x5eed);
  const choice = new Choice(estate, chance);
  const kept: { id: string; grown: Grown }[] = [];
  for (const kind of chance.mixed(Object.keys(KINDS))) {
    if (kept.length === faults) break;
    const grown = feltOne(draft, kind, choice);
    if (grown) kept.push({ id: kind, grown });
  }
  for (const { id, grown } of kept) {
    const where = grown.roots[0]?.host ?? grown.roots[0]?.between?.join(" to ") ?? "";
    const title = `${words(id)} at ${where}`.slice(0, 80);
    draft.faults?.push(faultOf(id, title, grown.fault));
    draft.drills?.push({
      id,
      title,
      story: title,
      group: grown.group,
      busy: true,
      faults: [{ fault: id }],
      answer: { roots: [grown.roots], incidents: 1 },
    });
  }
  twoAtOnce(draft, kept);
  nothingWrong(estate, chance);
  const read = readScenario(draft);
  if (!read.ok) throw new Error(`The grown estate ${seed} does not hold:\n${read.problems.join("\n")}`);
  return { scenario: read.scenario, setup: estate.setup };
}

const faultOf = (id: string, title: string, fault: Grown["fault"]): Fault => ({
  id,
  title,
  story: title,
  cause: title,
  repair: "As it is ended",
  ...fault,
});

/** A fault of a kind, at a place where the world feels it. */
function feltOne(draft: Draft, kind: string, choice: Choice): Grown | undefined {
  for (let attempt = 0; attempt < TRIES; attempt++) {
    const grown = KINDS[kind]?.(choice);
    if (!grown) return undefined;
    const read = readScenario({ ...draft, faults: [faultOf(kind, kind, grown.fault)], drills: [] });
    if (!read.ok) throw new Error(`${kind}:\n${read.problems.join("\n")}`);
    const touched = [...touchedBy(read.scenario, kind, BUSY_MS, FELT_MINUTES)];
    // A machine that has more or less to do is nothing that anybody has to find, as long as what runs there answers as ever.
    if (touched.some((name) => name.includes(" @ ")) || (touched.length > 0 && OF_HOSTS.has(grown.group))) return grown;
  }
  return undefined;
}

/** Two faults of unlike groups that have nothing to do with each other as far as the world goes, a minute apart. */
function twoAtOnce(draft: Draft, kept: readonly { id: string; grown: Grown }[]): void {
  const read = readScenario(draft);
  if (!read.ok) throw new Error(read.problems.join("\n"));
  const { scenario } = read;
  const reach = new Map(kept.map(({ id }) => [id, touchedBy(scenario, id, BUSY_MS, FELT_MINUTES)]));
  const services = (drill: string) => {
    const { degraded, down } = outcomeOf(scenario, drill, BUSY_MS, FELT_MINUTES);
    return [...degraded, ...down];
  };
  const hurt = new Map(kept.map(({ id }) => [id, services(id)]));
  const roles = new Map(
    kept.map(({ id, grown }) => [
      id,
      grown.roots.map(({ host }) => draft.hosts.find((one) => one.name === host)?.role ?? ""),
    ]),
  );
  for (const [index, first] of kept.entries())
    for (const second of kept.slice(index + 1)) {
      const shared = (of: ReadonlyMap<string, Iterable<string>>) =>
        [...(of.get(first.id) ?? [])].some((one) => [...(of.get(second.id) ?? [])].includes(one));
      if (shared(reach) || shared(hurt) || shared(roles) || first.grown.group === second.grown.group) continue;
      draft.drills?.push({
        id: "two-at-once",
        title: `${words(first.id)} and ${words(second.id)}`.slice(0, 80),
        story: "Two that have nothing to do with each other",
        group: "double",
        busy: true,
        faults: [{ fault: first.id }, { fault: second.id, afterSeconds: 60 }],
        answer: { roots: [first.grown.roots, second.grown.roots], incidents: 2 },
      });
      return;
    }
}

/** What is nothing wrong: more to do, a planned restart, memory used as a cache, a copy. */
function nothingWrong({ draft, stations }: GrownEstate, chance: Chance): void {
  const load = chance.one(draft.loads ?? []).name;
  const app = chance.one(stations.filter((one) => one.work === "app" || one.work === "box"));
  const restarted = chance.one(app.hosts);
  const copier = stations.find((one) => one.work === "copier");
  const benign = (id: string, effects: Drill["benign"], changes: Drill["changes"] = []) =>
    draft.drills?.push({
      id,
      title: words(id),
      story: words(id),
      group: "nothing wrong",
      faults: [],
      benign: effects,
      changes,
      answer: { roots: [], incidents: 0 },
    });
  benign("more-to-do", [{ what: "load", load, times: 1.3, riseSeconds: 200 }]);
  benign(
    "planned-restart",
    [{ what: "restart", host: restarted, process: app.process, awaySeconds: 6, afterSeconds: 20 }],
    [
      {
        what: "work",
        host: restarted,
        process: app.process,
        text: `Restart of ${app.process}`,
        by: "Operations",
        ticket: "T-200",
      },
    ],
  );
  benign("memory-as-cache", [{ what: "cache", host: copier?.hosts[0] ?? restarted, toPercent: 93, riseSeconds: 200 }]);
  benign("copy-now", [{ what: "job", job: "keep-copy" }]);
}
