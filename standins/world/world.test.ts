import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { ScenarioEffect, ScenarioFault, ScenarioRepair } from "../scenario/schema";
import { smallWorld, type Draft } from "../../tests/small-world";
import { REASON } from "./calls";
import { World } from "./world";

const AT = Date.parse("2026-03-17T10:00:00Z");
const MINUTE = 60_000;

const make = (change?: (draft: Draft) => void, fromMs = AT) => new World(smallWorld(change), AT, fromMs);

/** A fault as the file's schema would have made it of these effects. */
function faultOf(world: World, effects: Draft[], endedBy: ScenarioRepair[] = []): ScenarioFault {
  const filled = effects.map((effect) => ({
    afterSeconds: 0,
    riseSeconds: 0,
    lossPercent: 0,
    delayMs: 0,
    cut: false,
    capacityPercent: 100,
    part: "all",
    says: "internal error",
    awaySeconds: 4,
    ...effect,
  }));
  return {
    id: "test",
    title: "",
    story: "",
    effects: filled as ScenarioEffect[],
    cause: "",
    repair: "",
    endedBy,
  } satisfies ScenarioFault & { id: string } as ScenarioFault;
}
const begin = (world: World, effects: Draft[], atMs = world.state.atMs, endedBy: ScenarioRepair[] = []) =>
  world.begin(faultOf(world, effects, endedBy), atMs, undefined);

const station = (world: World, host: string, process: string) => {
  const found = world.layout.station(host, process);
  if (!found) throw new Error(`no ${process} on ${host}`);
  return found;
};
const operation = (world: World, host: string, process: string, place = 0) => {
  const found = station(world, host, process).operations[place];
  if (!found) throw new Error("no operation");
  return found;
};
/** Response in seconds and share that fails. */
const seen = (world: World, host: string, process: string) => {
  const { index } = operation(world, host, process);
  return {
    seconds: world.state.operation.responseSeconds[index] ?? 0,
    failing: world.state.operation.failing[index] ?? 0,
  };
};
const machine = (world: World, name: string) => {
  const found = world.layout.machine(name);
  if (!found) throw new Error(`no ${name}`);
  return found;
};

describe("a world at rest", () => {
  const world = make();
  world.advance(AT + 30 * MINUTE);
  const { state, layout } = world;

  it("passes on what comes in: 20 requests a second through both fronts, the application and the database", () => {
    const rate = (host: string, process: string) => state.station.finished[station(world, host, process).index] ?? 0;
    expect(rate("front-1", "front") + rate("front-2", "front")).toBeGreaterThan(17);
    expect(rate("app-1", "app")).toBeCloseTo(rate("front-1", "front") + rate("front-2", "front"), 6);
    expect(rate("db-1", "db")).toBeCloseTo(rate("app-1", "app"), 6);
    expect(rate("mq-1", "taker")).toBeCloseTo(rate("app-1", "app") / 10, 1);
  });
  it("keeps to Little's law: workers in use are the rate times the time they are held", () => {
    for (const one of layout.stations) {
      const rate = state.station.finished[one.index] ?? 0;
      if (rate > 0)
        expect(state.station.busy[one.index]).toBeCloseTo(rate * (state.station.holdSeconds[one.index] ?? 0), 9);
    }
  });
  it("answers in what its parts take, those below included", () => {
    const [db, app, front] = [seen(world, "db-1", "db"), seen(world, "app-1", "app"), seen(world, "front-2", "front")];
    expect(db.seconds).toBeGreaterThan(0.0099);
    expect(app.seconds).toBeGreaterThan(0.01 + db.seconds);
    expect(front.seconds).toBeGreaterThan(0.01 + app.seconds);
    expect(front.seconds).toBeLessThan(0.06);
    expect(Math.max(db.failing, app.failing, front.failing)).toBeLessThan(1e-6);
  });
  it("has a hypervisor that uses what its machines use, and machines that use what their processes do", () => {
    const hypervisor = machine(world, "virt-1");
    const guests = hypervisor.guests.reduce((sum, guest) => sum + (state.machine.cores[guest.index] ?? 0), 0);
    expect(state.machine.cores[hypervisor.index]).toBeCloseTo(guests + 0.02 * 8, 1);
    for (const one of layout.machines.filter((each) => each.role.system === "linux")) {
      const processes = one.stations.reduce((sum, each) => sum + (state.station.cores[each.index] ?? 0), 0);
      expect(Math.abs((state.machine.cores[one.index] ?? 0) - processes)).toBeLessThan(0.08);
    }
  });
});

describe("requests", () => {
  const effects: Draft[] = [
    { what: "slower", host: "db-1", process: "db", times: 80 },
    { what: "fewer-workers", host: "app-1", process: "app", to: 1 },
    { what: "stop", host: "db-1", process: "db" },
    { what: "power", host: "app-1" },
    { what: "errors", host: "app-1", process: "app", percent: 40 },
    { what: "load", load: "people", times: 30 },
    { what: "fill", host: "db-1", mount: "/srv", toPercent: 100, riseSeconds: 30 },
    { what: "link", between: ["here", "there"], cut: true },
    { what: "leak", host: "app-1", process: "app", toPercent: 120, riseSeconds: 60 },
  ];
  it("that came in were answered, failed, were turned away or wait, whatever goes wrong", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(effects.length - 1), fc.nat(300), fc.integer({ min: 5, max: 200 })), { maxLength: 4 }),
        (list) => {
          const world = make();
          for (const [which, after, lasts] of list)
            begin(world, [{ ...effects[which], lastsSeconds: lasts }], AT + after * 1000);
          world.advance(AT + 8 * MINUTE);
          const { state, layout } = world;
          for (const one of layout.stations) {
            let left = state.station.backlog[one.index] ?? 0;
            for (const { index } of one.operations)
              left +=
                (state.operation.answered[index] ?? 0) +
                (state.operation.failed[index] ?? 0) +
                (state.operation.turnedAway[index] ?? 0) -
                (state.operation.cameIn[index] ?? 0);
            expect(Math.abs(left)).toBeLessThan(
              1e-6 * (1 + (state.operation.cameIn[one.operations[0]?.index ?? 0] ?? 0)) + 1e-3,
            );
          }
          for (const queue of layout.queues)
            expect(
              Math.abs(
                (state.queue.cameIn[queue.index] ?? 0) -
                  (state.queue.takenUp[queue.index] ?? 0) -
                  (state.queue.depth[queue.index] ?? 0),
              ),
            ).toBeLessThan(1e-3);
        },
      ),
      {
        numRuns: 25,
        // A process that is killed while requests wait.
        examples: [
          [
            [
              [0, 0, 98],
              [8, 0, 104],
            ],
          ],
        ],
      },
    );
  });
});

describe("the same seed", () => {
  const live = (looks: readonly number[]) => {
    const world = make();
    begin(world, [{ what: "slower", host: "db-1", process: "db", times: 200, riseSeconds: 40 }], AT + 7 * MINUTE + 300);
    begin(world, [{ what: "spin", host: "side-1", process: "side", threads: 30, lastsSeconds: 100 }], AT + 3 * MINUTE);
    for (const at of looks) world.advance(at);
    world.advance(AT + 20 * MINUTE);
    return world.state;
  };
  it("gives the same run at any pace, step and order of looks", () => {
    const once = live([]);
    fc.assert(
      fc.property(fc.array(fc.integer({ min: AT, max: AT + 20 * MINUTE }), { maxLength: 12 }), (looks) => {
        expect(live(looks)).toEqual(once);
      }),
      { numRuns: 12 },
    );
  });
  it("gives another run where the seed is another", () => {
    const world = make((draft) => (draft.seed = 6));
    world.advance(AT + 20 * MINUTE);
    expect(world.state.operation.cameIn).not.toEqual(live([]).operation.cameIn);
  });
});

describe("a slow database", () => {
  it("slows exactly those that call it, in the order of the calls", () => {
    const world = make();
    world.advance(AT + MINUTE);
    const usual = new Map(
      world.layout.operations.map((one) => [one, world.state.operation.responseSeconds[one.index] ?? 0]),
    );
    begin(world, [{ what: "slower", host: "db-1", process: "db", times: 150, riseSeconds: 60 }]);
    const slowAt = new Map<string, number>();
    const from = world.state.atMs;
    for (let at = from; at <= from + 3 * MINUTE; at += 1000) {
      world.advance(at);
      for (const [one, before] of usual)
        if ((world.state.operation.responseSeconds[one.index] ?? 0) > 3 * before)
          slowAt.set(one.station.spec.name, Math.min(slowAt.get(one.station.spec.name) ?? at, at));
    }
    expect([...slowAt.keys()].sort()).toEqual(["app", "db", "front"]);
    expect(slowAt.get("db")).toBeLessThanOrEqual(slowAt.get("app") ?? 0);
    expect(slowAt.get("app")).toBeLessThanOrEqual(slowAt.get("front") ?? 0);
  });
  it("fills the pools and workers above it until they turn requests away, and they recover with it", () => {
    const world = make((draft) => (draft.roles.db.processes[0].queue = 100_000));
    const spell = begin(world, [{ what: "lock", host: "db-1", process: "db", ms: 4000 }]);
    world.advance(AT + 4 * MINUTE);
    const app = station(world, "app-1", "app");
    expect(world.state.station.busy[app.index]).toBeGreaterThan(20);
    expect(seen(world, "front-1", "front").failing).toBeGreaterThan(0.5);
    expect(seen(world, "side-1", "side").failing).toBeLessThan(0.01);
    const way = app.pools[0]?.ways[0];
    expect(world.state.way.reason[way?.index ?? 0]).toBe(REASON.timedOut);
    world.end(spell, world.state.atMs, true);
    world.advance(world.state.atMs + 5 * MINUTE);
    expect(seen(world, "front-1", "front").failing).toBeLessThan(0.01);
    expect(world.state.station.backlog[app.index]).toBe(0);
  });
});

describe("lines", () => {
  const reached = (world: World) => world.layout.machines.filter((one) => world.isReached(one)).map((one) => one.name);
  it("that are cut split exactly what lies behind them", () => {
    const world = make();
    world.advance(AT + MINUTE);
    const all = reached(world);
    begin(world, [{ what: "link", between: ["here", "there"], cut: true }]);
    world.advance(AT + 3 * MINUTE);
    expect(all.filter((name) => !reached(world).includes(name))).toEqual(["sw-2", "db-1"]);
    expect(seen(world, "app-1", "app").failing).toBeGreaterThan(0.99);
    expect(seen(world, "front-1", "front").failing).toBeGreaterThan(0.99);
    expect(seen(world, "side-1", "side").failing).toBeLessThan(0.01);
  });
  it("of a dark switch take what hangs on it away, machines of a hypervisor too, and leave them running", () => {
    const world = make();
    begin(world, [{ what: "power", host: "sw-1" }]);
    world.advance(AT + MINUTE);
    // Holotaxis looks from the same room.
    expect(reached(world)).toEqual([]);
    expect(world.isUp(machine(world, "app-1"))).toBe(true);
  });
  it("that lose packets make calls over them slow and, where they lose most, fail", () => {
    const lossy = (lossPercent: number) => {
      const world = make();
      begin(world, [{ what: "link", between: ["here", "there"], lossPercent }]);
      world.advance(AT + 3 * MINUTE);
      return seen(world, "app-1", "app");
    };
    expect(lossy(5).seconds).toBeGreaterThan(lossy(0).seconds * 1.5);
    expect(lossy(60).failing).toBeGreaterThan(0.2);
    const world = make();
    begin(world, [{ what: "link", between: ["here", "there"], lossPercent: 15 }]);
    world.advance(AT + 3 * MINUTE);
    // Whoever answers now and then is not left out.
    expect(world.state.way.weight[station(world, "app-1", "app").pools[0]?.ways[0]?.index ?? 0]).toBeGreaterThan(0.9);
  });
});

describe("retries", () => {
  /** Load after a surge is over, as a multiple of what people want. */
  const afterSurge = (retries: number) => {
    const world = make((draft) => {
      draft.loads[0].retries = 0;
      draft.roles.front.processes[0].talksTo[0].retries = retries;
      draft.roles.app.processes[0].talksTo[0].retries = retries;
      draft.roles.db.processes[0].workers = 4;
      // Nothing above holds the retries back.
      for (const each of [draft.roles.front.processes[0], draft.roles.app.processes[0]]) {
        each.workers = 2000;
        each.talksTo[0].connections = 200;
      }
      draft.roles.db.processes[0].operations[0] = { name: "write", cpuMs: 5, restMs: 120, writeKiB: 8, failPercent: 0 };
    });
    begin(world, [{ what: "load", load: "people", times: 4, lastsSeconds: 120 }], AT + MINUTE);
    world.advance(AT + 20 * MINUTE);
    return seen(world, "front-1", "front").failing;
  };
  it("keep an overload alive after its cause is gone when there are many, and not otherwise", () => {
    expect(afterSurge(0)).toBeLessThan(0.02);
    expect(afterSurge(4)).toBeGreaterThan(0.5);
  });
});

describe("machines", () => {
  it("share their processors: threads that spin slow the process beside them, and a restart ends it", () => {
    const world = make();
    begin(world, [{ what: "spin", host: "db-1", process: "db", threads: 60 }], AT + MINUTE, [
      { do: "restart", host: "db-1", process: "db" },
    ]);
    world.advance(AT + 4 * MINUTE);
    const host = machine(world, "db-1");
    expect(world.state.machine.cores[host.index]).toBeGreaterThan(3.9);
    expect(seen(world, "db-1", "db").seconds).toBeGreaterThan(0.06);
    world.restart(station(world, "db-1", "db"), world.state.atMs);
    world.advance(world.state.atMs + 2 * MINUTE);
    expect(world.state.machine.cores[host.index]).toBeLessThan(1);
    expect(seen(world, "db-1", "db").seconds).toBeLessThan(0.02);
  });
  it("of a hypervisor wait for what one of them takes, and the sums agree", () => {
    const world = make((draft) => (draft.roles.side.cores = 16));
    begin(world, [{ what: "spin", host: "side-1", process: "side", threads: 60 }]);
    world.advance(AT + 4 * MINUTE);
    const { state } = world;
    const app = machine(world, "app-1");
    const hypervisor = machine(world, "virt-1");
    expect(state.machine.stolen[app.index]).toBeGreaterThan(5);
    expect(state.machine.cores[hypervisor.index]).toBeGreaterThan(7.5);
    const guests = hypervisor.guests.reduce((sum, guest) => sum + (state.machine.cores[guest.index] ?? 0), 0);
    expect(Math.abs(guests + 0.16 - (state.machine.cores[hypervisor.index] ?? 0))).toBeLessThan(0.7);
    expect(seen(world, "app-1", "app").seconds).toBeGreaterThan(0.033);
  });
  it("given a smaller size queue for its processors, until it has its own again", () => {
    const world = make();
    const db = machine(world, "db-1");
    const was = world.coresOf(db);
    const before = seen(world, "db-1", "db").seconds;
    begin(world, [{ what: "slower", host: "db-1", process: "db", times: 10 }]);
    world.advance(AT + 3 * MINUTE);
    const roomy = seen(world, "db-1", "db").seconds;
    const repair = { do: "resize" as const, host: "db-1" };
    begin(world, [{ what: "resize", host: "db-1", cores: 1 }], world.state.atMs, [repair]);
    world.advance(AT + 8 * MINUTE);
    expect(was).toBeGreaterThan(1);
    expect(world.coresOf(db)).toBe(1);
    expect(world.state.machine.cores[db.index]).toBeGreaterThan(0.95);
    expect(world.state.machine.cores[db.index]).toBeLessThanOrEqual(1);
    expect(seen(world, "db-1", "db").seconds).toBeGreaterThan(3 * Math.max(before, roomy));
    expect(world.repair({ do: "resize", host: "app-1" }, world.state.atMs)).toBe(false);
    expect(world.repair(repair, world.state.atMs)).toBe(true);
    world.advance(AT + 12 * MINUTE);
    expect(world.coresOf(db)).toBe(was);
    expect(seen(world, "db-1", "db").seconds).toBeLessThan(1.5 * roomy);
  });
  it("page when memory is tight, and the kernel ends the largest process when there is none", () => {
    const world = make();
    begin(world, [{ what: "leak", host: "app-1", process: "app", toPercent: 98, riseSeconds: 30 }]);
    world.advance(AT + 3 * MINUTE);
    expect(seen(world, "app-1", "app").seconds).toBeGreaterThan(0.2);
    const other = make();
    begin(other, [{ what: "leak", host: "app-1", process: "app", toPercent: 120, riseSeconds: 30 }]);
    other.advance(AT + 5 * MINUTE);
    expect(other.state.station.kills[station(other, "app-1", "app").index]).toBeGreaterThan(1);
  });
  it("with a full disk stop those that write, and nobody else, until it is cleared", () => {
    const world = make();
    begin(world, [{ what: "fill", host: "db-1", mount: "/srv", toPercent: 100, riseSeconds: 60 }], AT, [
      { do: "rotate", host: "db-1", mount: "/srv" },
    ]);
    world.advance(AT + 30_000);
    expect(seen(world, "db-1", "db").failing).toBeLessThan(0.01);
    world.advance(AT + 3 * MINUTE);
    expect(seen(world, "db-1", "db").failing).toBe(1);
    expect(seen(world, "front-1", "front").failing).toBeGreaterThan(0.99);
    const disk = machine(world, "db-1").disks[0];
    if (!disk) throw new Error("no disk");
    expect(world.tidy(disk, world.state.atMs)).toBe(true);
    world.advance(world.state.atMs + 2 * MINUTE);
    expect(seen(world, "front-1", "front").failing).toBeLessThan(0.01);
    expect(world.state.disk.usedShare[disk.index]).toBeLessThan(0.5);
  });
  it("without power take their processes along, and come back with them", () => {
    const world = make();
    begin(world, [{ what: "power", host: "db-1" }], AT + MINUTE, [{ do: "power-on", host: "db-1" }]);
    world.advance(AT + 2 * MINUTE);
    expect(world.isRunning(station(world, "db-1", "db"))).toBe(false);
    expect(world.repair({ do: "power-on", host: "front-1" }, world.state.atMs)).toBe(false);
    expect(world.repair({ do: "power-on", host: "db-1" }, world.state.atMs)).toBe(true);
    world.advance(world.state.atMs + MINUTE);
    expect(world.isRunning(station(world, "db-1", "db"))).toBe(true);
    expect(world.state.machine.bootedAtMs[machine(world, "db-1").index]).toBeGreaterThan(AT + MINUTE);
  });
});

describe("a host that is not put in yet", () => {
  const world = make((draft) => {
    const own = draft.hosts.find((one: Draft) => one.name === "app-1");
    draft.hosts.push({ ...structuredClone(own), name: "app-2", address: "127.22.1.99", spare: true });
  });
  const shareOf = (host: string) => {
    const ways = station(world, "front-1", "front").pools.flatMap((pool) => pool.ways);
    const rate = (of: typeof ways) => of.reduce((sum, one) => sum + (world.state.way.perSecond[one.index] ?? 0), 0);
    return rate(ways.filter((one) => one.target.machine.name === host)) / rate(ways);
  };

  it("is called by nobody, whether those beside it answer or not, and takes its part once it is put in", () => {
    world.advance(AT + 5 * MINUTE);
    expect(shareOf("app-2")).toBeLessThan(1e-6);
    expect(seen(world, "front-1", "front").failing).toBeLessThan(1e-6);
    const stopped = begin(world, [{ what: "stop", host: "app-1", process: "app" }], world.state.atMs, [
      { do: "restart", host: "app-1", process: "app" },
    ]);
    world.advance(AT + 7 * MINUTE);
    expect(seen(world, "front-1", "front").failing).toBeGreaterThan(0.9);
    expect(shareOf("app-2")).toBeLessThan(1e-6);
    world.end(stopped, world.state.atMs, true);
    begin(world, [{ what: "put-in", host: "app-2" }]);
    world.advance(AT + 12 * MINUTE);
    expect(shareOf("app-2")).toBeGreaterThan(0.4);
  });
});

describe("processes", () => {
  /** How the application's calls to its database end under an effect. */
  const under = (effect: Draft, change?: (draft: Draft) => void) => {
    const world = make(change);
    begin(world, [effect]);
    world.advance(AT + 3 * MINUTE);
    const way = station(world, "app-1", "app").pools[0]?.ways[0];
    return { world, reason: world.state.way.reason[way?.index ?? 0], ...seen(world, "app-1", "app") };
  };
  const withTls = (draft: Draft) => (draft.roles.app.processes[0].talksTo[0].tls = true);
  const withClock = (draft: Draft) => (draft.roles.db.processes[0].operations[0].checksClock = true);
  const slow = (draft: Draft) => (draft.roles.db.processes[0].operations[0].restMs = 400);
  it.each<[string, Draft, number, ((draft: Draft) => void) | undefined]>([
    ["a stopped callee refuses", { what: "stop", host: "db-1", process: "db" }, REASON.refused, undefined],
    [
      "an expired certificate is not accepted",
      { what: "expired-certificate", host: "db-1", process: "db" },
      REASON.certificate,
      withTls,
    ],
    ["a clock that drifted is not believed", { what: "drift", host: "app-1", seconds: 300 }, REASON.clock, withClock],
    [
      "a limit of connections turns callers away",
      { what: "connection-limit", host: "db-1", process: "db", to: 1 },
      REASON.tooMany,
      slow,
    ],
    [
      "a pool that lost its connections starves",
      { what: "pool", host: "app-1", process: "app", target: "db", to: 0 },
      REASON.tooMany,
      undefined,
    ],
    [
      "a rule between them closes the way",
      { what: "closed-to", host: "app-1", target: "db" },
      REASON.closed,
      undefined,
    ],
    [
      "errors of the callee are passed on",
      { what: "errors", host: "db-1", process: "db", percent: 60 },
      REASON.none,
      undefined,
    ],
  ])("%s", (_what, effect, reason, change) => {
    const met = under(effect, change);
    expect(met.reason).toBe(reason);
    expect(met.failing).toBeGreaterThan(0.4);
  });
  it("that speak no TLS do not mind a certificate, and a clock that nobody looks at may drift", () => {
    expect(under({ what: "expired-certificate", host: "db-1", process: "db" }).failing).toBeLessThan(0.01);
    expect(under({ what: "drift", host: "app-1", seconds: 300 }).failing).toBeLessThan(0.01);
  });
  it("that take nothing from their queue let it grow, and work it off afterwards", () => {
    const world = make();
    begin(world, [{ what: "stuck", host: "mq-1", process: "taker" }], AT + MINUTE, [
      { do: "restart", host: "mq-1", process: "taker" },
    ]);
    world.advance(AT + 5 * MINUTE);
    const depth = () => world.state.queue.depth[0] ?? 0;
    expect(depth()).toBeGreaterThan(300);
    world.restart(station(world, "mq-1", "mq"), world.state.atMs);
    world.advance(world.state.atMs + 30_000);
    expect(depth()).toBeGreaterThan(250);
    world.restart(station(world, "mq-1", "taker"), world.state.atMs);
    world.advance(world.state.atMs + 5 * MINUTE);
    expect(depth()).toBeLessThan(1);
  });
  it("crash and come back as the loop says", () => {
    const world = make();
    begin(world, [{ what: "crash-loop", host: "side-1", process: "side", upSeconds: 20, downSeconds: 10 }]);
    let down = 0;
    for (let at = AT; at < AT + 5 * MINUTE; at += 1000) {
      world.advance(at);
      down += Number(!world.isRunning(station(world, "side-1", "side")));
    }
    expect(down).toBeGreaterThan(90);
    expect(down).toBeLessThan(150);
  });
  it("stopped by hand stay stopped until somebody starts them", () => {
    const world = make();
    world.stop(station(world, "side-1", "side"), AT + MINUTE);
    world.advance(AT + 20 * MINUTE);
    expect(world.isRunning(station(world, "side-1", "side"))).toBe(false);
    world.start(station(world, "side-1", "side"), AT + 20 * MINUTE);
    world.advance(AT + 21 * MINUTE);
    expect(world.isRunning(station(world, "side-1", "side"))).toBe(true);
  });
  it("change their version with a fault, and go back to the one before", () => {
    const world = make();
    const db = station(world, "db-1", "db");
    begin(
      world,
      [
        { what: "version", host: "db-1", process: "db", version: "2.0.0" },
        { what: "slower", host: "db-1", process: "db", times: 20 },
      ],
      AT + MINUTE,
      [{ do: "roll-back", host: "db-1", process: "db" }],
    );
    world.advance(AT + 2 * MINUTE);
    expect(world.versionOf(db, AT + 2 * MINUTE)).toBe("2.0.0");
    expect(seen(world, "db-1", "db").seconds).toBeGreaterThan(0.1);
    expect(world.rollBack(db, AT + 3 * MINUTE)).toBe("1.0.0");
    world.advance(AT + 5 * MINUTE);
    expect(seen(world, "db-1", "db").seconds).toBeLessThan(0.03);
    expect(world.versionOf(db, AT + 150_000)).toBe("2.0.0");
  });
});

it("a caller that loses one of two instances goes to the other, and comes back", () => {
  const world = make((draft) => draft.hosts.push({ name: "app-2", role: "app", site: "here", address: "127.22.1.33" }));
  const spell = begin(world, [{ what: "power", host: "app-2" }], AT + MINUTE);
  world.advance(AT + 62_000);
  expect(seen(world, "front-1", "front").failing).toBeGreaterThan(0.1);
  world.advance(AT + 3 * MINUTE);
  expect(seen(world, "front-1", "front").failing).toBeLessThan(0.03);
  world.end(spell, world.state.atMs, true);
  world.advance(world.state.atMs + 2 * MINUTE);
  const rate = (host: string) => world.state.station.finished[station(world, host, "app").index] ?? 0;
  expect(rate("app-2")).toBeCloseTo(rate("app-1"), 0);
});

it("a job starts at its hour, uses what it uses, and ends when its rows are done", () => {
  const start = Date.parse("2026-03-17T01:55:00Z");
  const world = make(undefined, start);
  const cores = () => world.state.station.cores[station(world, "db-1", "db").index] ?? 0;
  world.advance(start + 2 * MINUTE);
  expect(cores()).toBeLessThan(0.5);
  world.advance(start + 8 * MINUTE);
  expect(cores()).toBeGreaterThan(1);
  expect(world.state.job.rowsLeft[0]).toBeGreaterThan(0);
  world.advance(start + 25 * MINUTE);
  expect(world.state.job.rowsLeft[0]).toBe(0);
  expect(world.state.job.endedAtMs[0]).toBeGreaterThan(start + 14 * MINUTE);
  expect(cores()).toBeLessThan(0.5);
});

it("a container has its quota and no more, in processors and in memory", () => {
  const inContainer = (draft: Draft) => {
    draft.roles.side.agent = true;
    draft.roles.side.containers = [{ name: "box", process: "side", cpuLimit: 2, memoryLimitMiB: 800 }];
  };
  const quota = (effect: Draft) => {
    const world = make(inContainer);
    if (effect) begin(world, [{ what: "quota", host: "side-1", container: "box", ...effect }]);
    world.advance(AT + 3 * MINUTE);
    return world;
  };
  const throttled = (world: World) => world.state.station.throttled[station(world, "side-1", "side").index] ?? 0;
  expect(throttled(quota(undefined))).toBe(0);
  const tight = quota({ cpu: 0.1 });
  expect(throttled(tight)).toBeGreaterThan(40);
  expect(seen(tight, "side-1", "side").seconds).toBeGreaterThan(0.04);
  expect(tight.state.station.cores[station(tight, "side-1", "side").index]).toBeLessThan(0.11);
  expect(quota({ memoryMiB: 300 }).state.station.kills[station(tight, "side-1", "side").index]).toBeGreaterThan(2);
});

it("a fork shows what the world shows, each at an instant of its own", () => {
  const world = make();
  begin(world, [{ what: "slower", host: "db-1", process: "db", times: 90 }], AT + 12 * MINUTE);
  const other = world.fork();
  other.advance(AT + 40 * MINUTE);
  world.advance(AT + 11 * MINUTE);
  expect(seen(world, "app-1", "app").seconds).toBeLessThan(0.05);
  world.advance(AT + 40 * MINUTE);
  expect(world.state).toEqual(other.state);
  const alone = make();
  begin(alone, [{ what: "slower", host: "db-1", process: "db", times: 90 }], AT + 12 * MINUTE);
  alone.advance(AT + 40 * MINUTE);
  expect(alone.state).toEqual(other.state);
});

it("a caller that fails, goes on, or keeps for later, as its pool says", () => {
  const under = (onFail: string) => {
    const world = make((draft) => (draft.roles.app.processes[0].talksTo[0].onFail = onFail));
    begin(world, [{ what: "stop", host: "db-1", process: "db", lastsSeconds: 120 }], AT + MINUTE);
    const rate = () => world.state.operation.arrivals[operation(world, "db-1", "db").index] ?? 0;
    world.advance(AT + 50_000);
    const usual = rate();
    world.advance(AT + 150_000);
    const { failing } = seen(world, "app-1", "app");
    const kept = world.state.way.kept[station(world, "app-1", "app").pools[0]?.ways[0]?.index ?? 0] ?? 0;
    let most = 0;
    for (let at = AT + 181_000; at < AT + 5 * MINUTE; at += 1000) {
      world.advance(at);
      most = Math.max(most, rate());
    }
    world.advance(AT + 12 * MINUTE);
    return { failing, kept, surge: most / usual, after: rate() / usual };
  };
  expect(under("fail").failing).toBeGreaterThan(0.99);
  expect(under("go-on")).toMatchObject({ failing: 0, kept: 0 });
  const kept = under("keep");
  expect(kept.failing).toBe(0);
  expect(kept.kept).toBeGreaterThan(1200);
  // What was kept comes on top, and then no more.
  expect(kept.surge).toBeGreaterThan(2);
  expect(kept.after).toBeLessThan(1.2);
});
