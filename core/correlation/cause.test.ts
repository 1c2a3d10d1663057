import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Nature } from "../catalogue/metrics";
import { rankCauses, type Evidence, type Standing } from "./cause";
import { AFTER, HarmGraph, LEAST, MOST_STEPS, natureOf, WAYS, type HarmEdge, type Way } from "./harm";

const calls = (caller: string, callee: string): HarmEdge[] => [
  { from: callee, to: caller, way: "callee" },
  { from: caller, to: callee, way: "caller" },
];
const runs = (process: string, host: string): HarmEdge[] => [
  { from: host, to: process, way: "host" },
  { from: process, to: host, way: "process" },
];
const guest = (host: string, hypervisor: string): HarmEdge[] => [
  { from: hypervisor, to: host, way: "hypervisor" },
  { from: host, to: hypervisor, way: "guest" },
];
const wired = (host: string, net: string): HarmEdge[] => [
  { from: net, to: host, way: "switch" },
  { from: host, to: net, way: "wired" },
];

/**
 * Two fronts on an application on a database, each on a host of its own; the hosts of the fronts on one hypervisor, all
 * on one switch.
 */
const ESTATE = [
  ...calls("front-1", "app"),
  ...calls("front-2", "app"),
  ...calls("app", "db"),
  ...runs("front-1", "host-f1"),
  ...runs("front-2", "host-f2"),
  ...runs("app", "host-a"),
  ...runs("db", "host-d"),
  ...guest("host-f1", "virt"),
  ...guest("host-f2", "virt"),
  ...["host-f1", "host-f2", "host-a", "host-d", "virt"].flatMap((one) => wired(one, "net")),
  { from: "front-1", to: "service", way: "entry" } as const,
  { from: "front-2", to: "service", way: "entry" } as const,
];
const graph = new HarmGraph(ESTATE);
const AT = 1_000_000_000;
const see = (node: string, nature: Nature, atSeconds = 0, strength = 1): Evidence => ({
  node,
  nature,
  strength,
  onsetMs: AT + atSeconds * 1000,
});
const standing = (node: string): Standing => ({
  weight: node === "service" ? 0.001 : node === "net" || node === "virt" ? 0.4 : 1,
  isWatched: node !== "service" && node !== "net",
});
const rank = (evidence: readonly Evidence[], more: (node: string) => Partial<Standing> = () => ({})) =>
  rankCauses({ graph, evidence, standingOf: (node) => ({ ...standing(node), ...more(node) }) });
const first = (evidence: readonly Evidence[], more?: (node: string) => Partial<Standing>) =>
  rank(evidence, more)[0]?.node;

describe("the likeliest cause", () => {
  it("is what takes most of a host's processors from what answers beside it, more so the more of them", () => {
    const beside = new HarmGraph([...ESTATE, ...runs("counter", "host-a")]);
    const likely = (drains?: Evidence["drains"]) => {
      const own: Evidence = { ...see("counter", "busy", 60, 0.6), isWeak: true, ...(drains ? { drains } : {}) };
      const evidence = [
        see("app", "slow"),
        see("front-1", "slow"),
        see("front-2", "slow"),
        see("host-a", "busy", 60),
        own,
      ];
      return rankCauses({ graph: beside, evidence, standingOf: standing });
    };
    const chanceOf = (share?: number) =>
      likely(share === undefined ? undefined : { node: "host-a", share }).find((one) => one.node === "counter")
        ?.probability ?? 0;
    expect(likely({ node: "host-a", share: 1 })[0]?.node).toBe("counter");
    expect(chanceOf(1)).toBeGreaterThan(chanceOf(0.8));
    expect(chanceOf(0.8)).toBeGreaterThan(chanceOf());
    // It takes processors, and is no more behind a disk that is full there.
    const full = (drains?: Evidence["drains"]) =>
      rankCauses({
        graph: beside,
        evidence: [see("host-a", "full"), { ...see("counter", "busy", 0, 0.6), ...(drains ? { drains } : {}) }],
        standingOf: standing,
      });
    expect(full({ node: "host-a", share: 1 })).toEqual(full());
  });
  it("is less likely what was there long before, unless that creeps up on others", () => {
    const own = (nature: Nature, later: number, again: readonly number[] = []) =>
      rank([
        ...[0, ...again].map((at) => see("db", nature, at)),
        see("app", "slow", later),
        see("front-1", "slow", later),
      ]).find((one) => one.node === "app")?.probability ?? 0;
    expect(own("down", 7200)).toBeGreaterThan(own("down", 600) * 1.2);
    expect(own("memory", 7200)).toBe(own("memory", 600));
    // What tells of itself again just before is taken for its cause again.
    expect(own("down", 7200, [7000])).toBeLessThan(own("down", 7200));
  });
  it("is the hypervisor at whose port frames break, though its machines look well: what runs on them does not", () => {
    const fronts = ["1", "2", "3", "4", "5", "6"];
    const many = new HarmGraph(
      fronts.flatMap((one) => [
        ...calls(`front-${one}`, "app"),
        ...runs(`front-${one}`, `host-${one}`),
        ...guest(`host-${one}`, "virt"),
      ]),
    );
    const felt = (wire: readonly Evidence[]) =>
      rankCauses({
        graph: many,
        evidence: [...wire, ...fronts.map((one) => see(`front-${one}`, "slow"))],
        standingOf: standing,
      })[0];
    expect(felt([see("virt", "network")])?.node).toBe("virt");
    expect(felt([see("virt", "network")])?.probability).toBeGreaterThan(0.8);
    expect(felt([])?.node).toBe("app");
  });
  it("is what is in alarm itself, however many that it would hurt are well", () => {
    const names = Array.from({ length: 40 }, (_, index) => `${index}`);
    const many = new HarmGraph(
      names.flatMap((one) => [...guest(`host-${one}`, "virt"), ...runs(`app-${one}`, `host-${one}`)]),
    );
    const causes = rankCauses({ graph: many, evidence: [see("virt", "device")], standingOf: standing });
    expect(causes[0]).toMatchObject({ node: "virt", isRoot: true });
    expect(causes[0]?.probability).toBeGreaterThan(0.3);
  });
  it("is the callee when everybody above it is slow, although a caller was told of first", () => {
    const evidence = [
      see("front-1", "slow", 0),
      see("front-2", "slow", 20),
      see("app", "slow", 30),
      see("db", "slow", 40),
    ];
    expect(first(evidence)).toBe("db");
    expect(first([...evidence].reverse())).toBe("db");
  });
  it("is not what answers badly by many operations rather than what fails behind it", () => {
    const many = Array.from({ length: 12 }, () => see("app", "slow", 2));
    const fronts = ["front-1", "front-2"].flatMap((one) => Array.from({ length: 6 }, () => see(one, "slow", 3)));
    expect(first([...many, ...fronts, see("host-d", "device", 4), see("db", "slow", 4)])).toBe("host-d");
  });
  it("is what several that do one work rely on, though what is beyond them is nearer to them", () => {
    const apps = ["app-1", "app-2", "app-3"];
    const fronts = ["web-1", "web-2"];
    const partners = ["far-1", "far-2", "far-3"];
    const wide = new HarmGraph([
      ...apps.flatMap((one) => calls(one, "store")),
      ...fronts.flatMap((one) => apps.flatMap((other) => calls(one, other))),
      ...partners.flatMap((one) => fronts.flatMap((other) => calls(one, other))),
    ]);
    const evidence = [...apps, ...fronts, ...partners].map((one) => see(one, "slow"));
    const likeliest = (more: readonly Evidence[]) =>
      rankCauses({
        graph: wide,
        evidence: [...evidence, ...more],
        standingOf: (node) => ({ weight: 1, isWatched: true, ...(apps.includes(node) ? { set: "apps" } : {}) }),
      })[0]?.node;
    expect(likeliest([see("store", "slow", 60)])).toBe("store");
    // Where nothing is known against it, all of the set failing for one reason of their own is likelier.
    expect(apps).toContain(likeliest([]));
  });
  it("is a host that does not respond, although what runs on it says nothing bad of itself", () => {
    const loaders = ["load-1", "load-2", "load-3"];
    const wide = new HarmGraph([
      ...loaders.flatMap((one) => [...calls(one, "series"), ...calls(one, "bus-1"), ...calls(one, "bus-2")]),
      ...runs("series", "host-s"),
      ...loaders.map((one) => ({ from: one, to: "service", way: "entry" }) as const),
    ]);
    const bad = [...loaders, "service"].flatMap((one) => [see(one, "slow"), see(one, "failing", 10)]);
    const roots = (more: readonly Evidence[]) =>
      rankCauses({
        graph: wide,
        evidence: [...bad, ...more],
        standingOf: (node) => ({ weight: node === "service" ? 0.001 : 1, isWatched: node !== "service" }),
      }).flatMap((one) => (one.isRoot ? one.node : []));
    expect(roots([see("host-s", "down", 25)])).toEqual(["host-s"]);
    // What it does not explain asks for another.
    expect(roots([see("host-s", "down", 25), see("bus-1", "memory", 30)]).sort()).toEqual(["bus-1", "host-s"]);
  });
  it("is a host that runs out of something before the processes that are slow for it", () => {
    expect(first([see("front-1", "slow"), see("app", "slow"), see("host-a", "busy", 15)])).toBe("host-a");
  });
  it("is no host that is busy for the calls that wait", () => {
    // The front's host is busier than usual, while the database has no room left.
    expect(
      first([see("host-f1", "memory", 30), see("front-1", "slow"), see("app", "slow"), see("host-d", "full")]),
    ).toBe("host-d");
  });
  it("is what a hypervisor withholds, and not the machines that wait for it", () => {
    const waiting = [see("host-f1", "withheld"), see("host-f2", "withheld", 5), see("front-1", "slow", 10)];
    expect(first([...waiting, see("virt", "busy", 20)])).toBe("virt");
  });
  it("is the switch when all that hangs on it is gone at once", () => {
    const dark = ["host-f1", "host-f2", "host-a", "host-d", "virt"].map((one, index) => see(one, "down", index * 10));
    expect(first(dark)).toBe("net");
  });
  it("is one host when only that is gone: what hangs beside it is well", () => {
    expect(first([see("host-d", "down"), see("app", "failing", 20), see("front-1", "failing", 30)])).toBe("host-d");
  });
  it("is a callee without an alarm of its own where nobody watches it", () => {
    const unwatched = (node: string) => (node === "db" || node === "host-d" ? { isWatched: false } : {});
    const evidence = [see("app", "failing"), see("front-1", "failing", 10), see("front-2", "failing", 10)];
    expect(
      rank(evidence, unwatched)
        .slice(0, 3)
        .map((one) => one.node),
    ).toContain("db");
    // Where it is watched and shows nothing, it is the application itself.
    expect(first(evidence)).toBe("app");
  });
  it("is rather what was changed just before", () => {
    const evidence = [see("front-1", "slow"), see("service", "slow", 20)];
    const before = rank(evidence, (node) => (node === "app" ? { isWatched: false } : {}));
    const after = rank(evidence, (node) => (node === "app" ? { isWatched: false, change: "unticketed" } : {}));
    const place = (list: typeof before) => list.findIndex((one) => one.node === "app");
    expect(after[place(after)]?.probability).toBeGreaterThan(before[place(before)]?.probability ?? 1);
    expect(after[place(after)]?.terms).toContainEqual(expect.objectContaining({ what: "change", ticketed: false }));
  });
  it("is rather what it was in incidents like this one", () => {
    const evidence = [see("front-1", "slow"), see("front-2", "slow")];
    const of = (list: ReturnType<typeof rank>) => list.find((one) => one.node === "app");
    const before = of(rank(evidence));
    const after = of(rank(evidence, (node) => (node === "app" ? { past: 2 } : {})));
    expect(after?.probability).toBeGreaterThan(before?.probability ?? 1);
    expect(after?.terms).toContainEqual(expect.objectContaining({ what: "past", count: 2 }));
  });
  it("is rather the one of two equals whose figure moves with that of what is hurt", () => {
    const evidence = [see("host-f1", "busy"), see("host-f2", "busy"), see("service", "slow")];
    const shape = (r: number) => ({ r, mean: 0.5, aheadMs: 60_000, with: "the service" });
    const of = (first: number, second: number) =>
      rank(evidence, (node) =>
        node === "host-f1" ? { shape: shape(first) } : node === "host-f2" ? { shape: shape(second) } : {},
      )[0];
    expect(of(0.9, 0.1)?.node).toBe("host-f1");
    expect(of(0.1, 0.9)?.node).toBe("host-f2");
    expect(of(0.9, 0.1)?.terms).toContainEqual(expect.objectContaining({ what: "shape", r: 0.9 }));
  });
  it("is never what a service suffers while there is anything else", () =>
    expect(first([see("service", "failing"), see("front-1", "failing", 60)])).not.toBe("service"));
  it("hardly is what began long after what it would explain", () => {
    const early = rank([see("app", "slow", 600), see("front-1", "slow", 0), see("front-2", "slow", 0)]);
    const together = rank([see("app", "slow", 0), see("front-1", "slow", 0), see("front-2", "slow", 0)]);
    const of = (list: typeof early) => list.find((one) => one.node === "app")?.probability ?? 0;
    expect(of(early)).toBeLessThan(of(together));
  });
});

describe("several causes", () => {
  it("are told apart where one cannot explain the other's harm", () => {
    const causes = rank([see("host-d", "full"), see("host-f1", "memory"), see("app", "failing", 20)]);
    const roots = causes.filter((one) => one.isRoot).map((one) => one.node);
    expect(roots).toContain("host-d");
    expect(roots).toContain("host-f1");
    expect(causes.slice(0, 2).every((one) => one.isRoot)).toBe(true);
  });
  it("come in the order in which one may be behind the other", () => {
    const fronts = Array.from({ length: 16 }, (_, place) => `caller-${place}`);
    const wide = new HarmGraph([...runs("app", "host-a"), ...fronts.flatMap((one) => calls(one, "app"))]);
    const evidence = [
      ...(["slow", "failing", "pool"] as const).map((nature) => see("app", nature, 30)),
      ...fronts.flatMap((one) => (["slow", "failing", "pool"] as const).map((nature) => see(one, nature, 5))),
    ];
    const roots = (more: readonly Evidence[]) =>
      rankCauses({ graph: wide, evidence: [...evidence, ...more], standingOf: standing }).flatMap((one) =>
        one.isRoot ? [one.node] : [],
      );
    expect(roots([])).toEqual(["app"]);
    // Broken frames at its host are none of its doing, and all that is wrong with it may come of them.
    expect(roots([see("host-a", "network", 10)])).toEqual(["host-a", "app"]);
    // What it takes of its host is.
    expect(roots([see("host-a", "busy", 10)])).toEqual(["app"]);
  });
  it("are one where one explains all", () => {
    const causes = rank([
      see("db", "slow"),
      see("app", "slow", 10),
      see("front-1", "slow", 20),
      see("service", "slow", 30),
    ]);
    expect(causes.filter((one) => one.isRoot)).toHaveLength(1);
  });
});

const NATURES: Nature[] = ["down", "slow", "failing", "busy", "memory", "full", "withheld"];
const NODES = [...new Set(ESTATE.flatMap(({ from, to }) => [from, to]))];
const anyEvidence = fc.uniqueArray(
  fc.record({
    node: fc.constantFrom(...NODES),
    nature: fc.constantFrom(...NATURES),
    strength: fc.double({ min: 0.3, max: 1, noNaN: true }),
    onsetMs: fc.integer({ min: AT, max: AT + 600_000 }),
  }),
  { selector: (one) => `${one.node} ${one.nature}`, minLength: 1, maxLength: 8 },
);

const seen = (node: string, nature: Nature, strength: number) => ({ node, nature, strength, onsetMs: AT });

/** Two sets of roots explain this equally well, but for the last digits of their sums. */
const EQUALS: [ReturnType<typeof seen>[], number] = [
  [
    seen("host-d", "down", 0.6864808370769707),
    seen("host-f1", "down", 0.3),
    seen("host-f1", "busy", 0.3495120058612694),
    seen("host-f2", "down", 0.9999999999999776),
    seen("virt", "down", 0.4609184509869851),
    seen("host-a", "down", 0.8942729540795099),
    seen("app", "failing", 0.3874538921581854),
  ],
  8072,
];

it("does not depend on the order of the evidence, and its probabilities are probabilities", () => {
  fc.assert(
    fc.property(anyEvidence, fc.nat(), (evidence, turn) => {
      const at = turn % evidence.length;
      const turned = [...evidence.slice(at), ...evidence.slice(0, at)];
      const one = rank(evidence);
      const other = rank(turned);
      expect(other.map((cause) => cause.node)).toEqual(one.map((cause) => cause.node));
      expect(one.length).toBeGreaterThan(0);
      for (const [index, cause] of one.entries()) {
        expect(cause.probability).toBeGreaterThan(0);
        expect(cause.probability).toBeLessThanOrEqual(1);
        expect(other[index]?.probability).toBeCloseTo(cause.probability, 9);
      }
      expect(one.slice(1).every((cause, index) => !cause.isRoot || one[index]?.isRoot)).toBe(true);
    }),
    { examples: [EQUALS] },
  );
});

it("finds the chance of the best path, as trying all paths does", () => {
  const all = (start: string, end: string, nature: Nature): number => {
    let most = start === end ? 1 : 0;
    if (start === end) return graph.chance(start, end, nature);
    const walk = (at: string, chance: number, seen: ReadonlySet<string>, before?: Way) => {
      for (const { to, way } of graph.from(at)) {
        if (seen.has(to)) continue;
        const now = chance * WAYS[way].carries * (before ? (AFTER[before]?.[way] ?? 1) : 1);
        if (to === end) most = Math.max(most, now * (WAYS[way].shows[nature] ?? WAYS[way].shows.rest));
        if (seen.size < MOST_STEPS && now >= LEAST) walk(to, now, new Set([...seen, to]), way);
      }
    };
    walk(start, 1, new Set([start]));
    return most;
  };
  for (const start of NODES)
    for (const end of NODES)
      for (const nature of NATURES) {
        const expected = all(start, end, nature);
        // What carries less than that is left out.
        if (expected >= LEAST || graph.chance(start, end, nature) >= LEAST)
          expect(graph.chance(start, end, nature), `${start} ${end} ${nature}`).toBeCloseTo(expected, 9);
      }
});

it("knows the nature of what is wrong by the metric", () => {
  expect(["cpu.used", "reachable", "calls.failing", "volume.latency", "disk.used", "cpu.stolen"].map(natureOf)).toEqual(
    ["busy", "down", "failing", "storage", "full", "withheld"],
  );
  expect(["disk.busy", "disk.service", "hardware.drive.failing"].map(natureOf)).toEqual([
    "storage",
    "device",
    "device",
  ]);
  expect(natureOf("http.server.request.duration.p95")).toBe("slow");
  expect(natureOf("nobody.described.this")).toBe("other");
});

describe("several that do the same work", () => {
  const ofSet = (node: string) => (node.startsWith("front-") ? { set: "fronts" } : {});
  const both = [see("front-1", "failing"), see("front-2", "failing"), see("service", "failing")];

  it("are the cause together where each of them fails and nothing that they share speaks", () => {
    const causes = rank(both, ofSet);
    expect(causes.filter((one) => one.isRoot).map((one) => one.node)).toEqual(["front-1", "front-2"]);
    expect(causes[0]?.probability).toBeGreaterThan(0.5);
  });

  it("are not where what they share speaks, nor where one of them alone fails", () => {
    expect(first([...both, see("app", "failing")], ofSet)).toBe("app");
    const one = rank([see("front-1", "failing"), see("service", "failing")], ofSet);
    expect(one.filter((each) => each.isRoot).map((each) => each.node)).toEqual(["front-1"]);
  });
});

it("calls that go badly to what says that it answers well point past who makes them", () => {
  const line = { from: "line", to: "app", way: "line" } as const;
  const across = new HarmGraph([...ESTATE, line, { from: "line", to: "front-1", way: "line" }]);
  const likeliest = (isOutward: boolean) =>
    rankCauses({
      graph: across,
      evidence: ["app", "front-1"].map((node) => ({ ...see(node, "slow"), isOutward })),
      standingOf: (node) => ({ ...standing(node), isWatched: node !== "line" && standing(node).isWatched }),
    })[0]?.node;
  expect([likeliest(false), likeliest(true)]).toEqual(["app", "line"]);
});

it("a line is cut where what lies beyond is out of reach, and only slow where that answers", () => {
  // Two at one end call across; three hosts stand at the other.
  const beyond = ["far-1", "far-2", "far-3"];
  const lines = new HarmGraph([
    ...["near-1", "near-2"].flatMap((to) => ["late", "cut"].map((from) => ({ from, to, way: "line" }) as const)),
    ...beyond.map((to) => ({ from: "cut", to, way: "beyond" }) as const),
  ]);
  const likeliest = (down: readonly string[]) =>
    rankCauses({
      graph: lines,
      evidence: [see("near-1", "slow"), see("near-2", "slow"), ...down.map((node) => see(node, "down"))],
      standingOf: (node) => ({ weight: 0.5, isWatched: beyond.includes(node) }),
    }).find((one) => one.isRoot)?.node;
  expect([likeliest([]), likeliest(beyond)]).toEqual(["late", "cut"]);
});
