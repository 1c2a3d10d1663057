import { Chance } from "./chance";
import type { DraftDrill, DraftFault, DraftProcess, GrownEstate, Station, Work } from "./estate";

export type Thing = DraftDrill["answer"]["roots"][number][number];

/** A fault with the things that count as having named it. */
export interface Grown {
  fault: Omit<DraftFault, "id" | "title" | "story" | "cause" | "repair">;
  group: string;
  roots: Thing[];
}

/** Chooses where a fault is, and how strong, in an estate. */
export class Choice {
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
        effects: [{ host: at.host, process: at.process, ...given } as DraftFault["effects"][number]],
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
          } as DraftFault["effects"][number],
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
        effects: [{ what: "link", between, ...effect(chance) } as DraftFault["effects"][number]],
        endedBy: [{ do: "mend-link", between }],
      },
      group: "line",
      roots: [{ between }, ...switches.map(({ name }): Thing => ({ host: name }))],
    };
  };

/** All kinds of faults, by the name that their drills begin with. */
export const KINDS: Record<string, Kind> = {
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
    if (!at) return undefined;
    // A virtual machine has no port of its own: it is its hypervisor's.
    const host = choice.estate.draft.hosts.find((one) => one.name === at.host)?.on ?? at.host;
    return {
      fault: {
        effects: [{ what: "link", host, lossPercent: choice.chance.whole(10, 25), riseSeconds: 20 }],
        endedBy: [{ do: "mend-link", host }],
      },
      group: "line",
      // It is lost between the host and the switch that it hangs on: both tell of it.
      roots: [...onHost(host), ...switchesOf(choice.estate, at.site)],
    };
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
