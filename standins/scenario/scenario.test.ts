import { readFileSync, readdirSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { makeRhythm, wander } from "../rhythm";
import { Estate } from "../seen/estate";
import { outcomeOf, touchedBy } from "./outcome";
import { readScenario } from "./read";
import { scaleScenario } from "./scale";
import type { Scenario } from "./schema";

const AT = Date.parse("2026-03-17T10:00:00Z");
const json = (file: string): unknown => JSON.parse(readFileSync(new URL(file, import.meta.url), "utf8"));
const read = (file: string): Scenario => {
  const result = readScenario(json(file));
  if (!result.ok) throw new Error(result.problems.join("\n"));
  return result.scenario;
};
const halvane = read("../../scenarios/halvane.json");

describe("the demonstration estate", () => {
  it("is whole: both machine rooms and the depot, two switches each, at least 60 hosts", () => {
    expect(halvane.hosts.length).toBeGreaterThanOrEqual(60);
    for (const site of ["north", "south", "tarn"])
      expect(halvane.hosts.filter((host) => host.site === site && host.role === "access-switch")).toHaveLength(2);
  });
  it("grows to 2,000 hosts, each with a name and address of its own, machines together with what they are on", () => {
    const { hosts } = scaleScenario(halvane, 2000);
    expect(hosts).toHaveLength(2000);
    expect(new Set(hosts.map((host) => host.address)).size).toBe(2000);
    const place = new Map(hosts.map((host, index) => [host.name, index]));
    expect(place.size).toBe(2000);
    for (const one of hosts) if (one.on) expect(place.get(one.on)).toBeLessThan(place.get(one.name) ?? 0);
    expect(hosts.find((one) => one.name === "nq-dir-01-x3")?.on).toBe("nq-virt-01-x3");
  });
  it("stays causal when it is larger: each copy calls its own, and has a load of its own", () => {
    const { layout, state } = new Estate(scaleScenario(halvane, 240), AT, AT).world;
    const station = (host: string, process: string) => layout.station(host, process);
    const ways = station("nq-gate-web-01-x2", "gatefront")?.pools.flatMap((pool) => pool.ways) ?? [];
    expect(ways.map((way) => way.target.machine.name).sort()).toEqual(["nq-gate-app-01-x2", "nq-gate-app-02-x2"]);
    const rate = (host: string) => state.station.finished[station(host, "gatefront")?.index ?? 0] ?? 0;
    expect(rate("nq-gate-web-01-x2") / rate("nq-gate-web-01")).toBeGreaterThan(0.8);
  });
});

it("a line that loses packets is felt at the switches of both its ends too, and at no third site's", () => {
  const touched = touchedBy(halvane, "quay-line-loses", AT, 3);
  const switches = [...touched].filter((name) => name.includes("-sw-")).map((name) => name.slice(0, 2));
  expect([...new Set(switches)].sort()).toEqual(["nq", "sq"]);
});

it("a volume that answers slowly is felt at all that is on it, whatever that asks of it", () => {
  const touched = touchedBy(halvane, "datastore-slow", AT, 3);
  expect([...touched]).toEqual(expect.arrayContaining(["sq-gate-web-01", "sq-bastion-01"]));
  expect(touched.has("nq-gate-web-01")).toBe(false);
});

it("every file in scenarios/ can be read", () => {
  const folder = new URL("../../scenarios/", import.meta.url);
  const files = readdirSync(folder).filter((name) => name.endsWith(".json") && !name.endsWith("-setup.json"));
  for (const file of files) expect(readScenario(json(`../../scenarios/${file}`)), file).toMatchObject({ ok: true });
});

describe("a scenario with a mistake", () => {
  const problemsOf = (file: string, change: (scenario: Scenario) => void): string => {
    const scenario = structuredClone(read(file));
    change(scenario);
    const result = readScenario(scenario);
    return result.ok ? "" : result.problems.join("\n");
  };
  const SMALL = "../../tests/fixtures/small-scenario.json";
  it.each<[string, (scenario: Scenario) => void, string]>([
    [
      "an unknown role",
      (s) => (s.hosts[0]!.role = "gone"),
      "hosts.t-sw-01.role: there is no role “gone”. Known are switch, web, store.",
    ],
    ["an unknown rhythm", (s) => (s.roles.web!.rhythm = "gone"), "roles.web.rhythm: there is no rhythm “gone”"],
    [
      "a call to nobody",
      (s) => (s.roles.web!.processes[0]!.talksTo[0]!.process = "gone"),
      "there is no listening process in role store named “gone”. Known are quaystore, postbag.",
    ],
    [
      "a call of no operation",
      (s) => (s.roles.web!.processes[0]!.operations[0]!.calls[0]!.operation = "gone"),
      "operations.POST /orders: there is no operation of quaystore in role store named “gone”. Known are insert.",
    ],
    [
      "a call to whom it does not talk",
      (s) => (s.roles.web!.processes[0]!.operations[0]!.calls[0]!.to = "postbag"),
      "there is no entry of talksTo for the process “postbag”",
    ],
    [
      "data on no disk",
      (s) => (s.roles.store!.processes[0]!.data = "/gone"),
      "roles.store.quaystore.data: there is no disk mounted at “/gone”. Known are /srv.",
    ],
    [
      "a load for nobody",
      (s) => (s.loads[0]!.to.operation = "gone"),
      "loads.shoppers.to: there is no operation of shopfront named “gone”",
    ],
    ["a figure of nothing", (s) => delete s.figures[0]!.counts, "figures.orders_per_hour: say what it is"],
    ["an address outside its site", (s) => (s.hosts[1]!.address = "127.22.1.1"), "127.22.1.1 is not in 127.21.1.0/24"],
    ["the same address twice", (s) => (s.hosts[1]!.address = s.hosts[0]!.address), "is used twice"],
    [
      "a fault of an unknown process",
      (s) => Object.assign(s.faults[0]!.effects[0]!, { process: "gone" }),
      "faults.front-leak.effects.0.process: there is no process on t-web-01 named “gone”",
    ],
    [
      "an effect on nothing",
      (s) => Object.assign(s.faults[0]!.effects[0]!, { host: undefined }),
      "faults.front-leak.effects.0: name either a host or a role.",
    ],
    [
      "a repair of nothing",
      (s) => Object.assign(s.faults[1]!.endedBy[0]!, { host: "gone" }),
      "faults.store-dark.endedBy.0.host: there is no host “gone”",
    ],
    [
      "a drill of no fault",
      (s) =>
        s.drills.push({
          id: "d",
          title: "t",
          story: "s",
          group: "",
          busy: false,
          faults: [{ fault: "gone", afterSeconds: 0 }],
          benign: [],
          changes: [],
          answer: { roots: [], degraded: [], down: [], incidents: 1, noticedWithinSeconds: 60 },
        }),
      "drills.d.faults: there is no fault “gone”",
    ],
    ["a word it does not know", (s) => Object.assign(s, { colour: "red" }), "colour"],
    [
      "an effect it does not know",
      (s) => Object.assign(s.faults[0]!.effects[0]!, { what: "explode" }),
      "faults.0.effects.0.what",
    ],
  ])("%s is named with its place", (_name, change, sentence) => expect(problemsOf(SMALL, change)).toContain(sentence));

  const host = (draft: Scenario, name: string) =>
    draft.hosts.find((one) => one.name === name) as Scenario["hosts"][number];
  it.each<[string, (scenario: Scenario) => void, string]>([
    ["a machine on nothing", (s) => (host(s, "nq-dir-01").on = "gone"), "hosts.nq-dir-01.on: there is no host “gone”"],
    [
      "a machine on no hypervisor",
      (s) => (host(s, "nq-dir-01").on = "nq-gate-db-01"),
      "hosts.nq-dir-01.on: nq-gate-db-01 is no hypervisor.",
    ],
    [
      "a machine before its hypervisor",
      (s) => s.hosts.unshift(...s.hosts.splice(s.hosts.indexOf(host(s, "nq-dir-01")), 1)),
      "hosts.nq-dir-01.on: write nq-virt-01 before its virtual machines.",
    ],
    [
      "containers that nobody tells of",
      (s) => (s.roles["depot-app"]!.agent = false),
      "roles.depot-app.containers: nobody tells of containers on a host without an agent.",
    ],
    [
      "a line that a machine does not hang on itself",
      (s) =>
        s.faults[0]!.effects.push({
          what: "link",
          host: "nq-dir-01",
          afterSeconds: 0,
          riseSeconds: 0,
          lossPercent: 0,
          delayMs: 0,
          cut: true,
          capacityPercent: 100,
        }),
      "nq-dir-01 hangs on the line of nq-virt-01. Name nq-virt-01.",
    ],
    [
      "lines about nothing",
      (s) =>
        (s.outputs.nobody = {
          lines: [{ text: "a {nothing}", severity: "info", perHour: 1, during: "no-such-fault" }],
        }),
      "outputs.nobody.lines: there is no list of words “nothing”",
    ],
  ])("%s is named with its place", (_name, change, sentence) =>
    expect(problemsOf("../../scenarios/halvane.json", change)).toContain(sentence),
  );
});

describe("rhythms", () => {
  const week = makeRhythm({
    hours: Array.from({ length: 24 }, (_, hour) => (hour < 6 ? 0 : hour / 23)),
    weekdays: [1, 1, 1, 1, 1, 0.4, 0.2],
  });
  const tide = makeRhythm({ tide: { periodHours: 12.42, depth: 0.7 } });
  const instants = fc.tuple(
    fc.integer({ min: 1_600_000_000_000, max: 1_900_000_000_000 }),
    fc.integer({ min: 0, max: 7 * 86_400_000 }),
  );
  it("have totals that never fall, and levels between 0 and 1", () => {
    fc.assert(
      fc.property(instants, ([at, later]) =>
        [week, tide].every(
          (curve) => curve.total(at + later) >= curve.total(at) - 1e-6 && curve.level(at) >= 0 && curve.level(at) <= 1,
        ),
      ),
    );
  });
  it("have totals that grow by their level", () => {
    fc.assert(
      fc.property(
        instants,
        ([at]) => Math.abs((tide.total(at + 60_000) - tide.total(at)) / 60 - tide.level(at + 30_000)) < 1e-3,
      ),
    );
  });
  it("are quieter on Sundays", () =>
    expect(week.level(Date.parse("2026-03-15T14:00:00Z"))).toBeLessThan(
      week.level(Date.parse("2026-03-16T14:00:00Z")) / 3,
    ));
  it("wander smoothly between -1 and 1", () => {
    fc.assert(
      fc.property(
        fc.integer(),
        fc.integer({ min: 0, max: 2e12 }),
        (seed, at) =>
          Math.abs(wander(seed, at, 60_000)) <= 1 &&
          Math.abs(wander(seed, at + 10, 60_000) - wander(seed, at, 60_000)) < 0.01,
      ),
    );
  });
});

describe("the drills of the demonstration", () => {
  const estate = new Estate(halvane, AT, AT);
  it("are at least 48 faults and 12 that are nothing wrong", () => {
    expect(halvane.drills.filter((one) => one.faults.length > 0).length).toBeGreaterThanOrEqual(48);
    expect(halvane.drills.filter((one) => one.faults.length === 0).length).toBeGreaterThanOrEqual(12);
  });
  it("do to the services what their answers say", () => {
    // A part of them; all of them are compared whenever the file is written.
    const some = [
      "store-locked",
      "pilot-store-dark",
      "names-gone",
      "series-disk-fills",
      "planned-restart",
      "two-related",
    ];
    for (const id of some) {
      const { degraded, down } = estate.drills.find((one) => one.id === id)?.answer ?? { degraded: [], down: [] };
      expect(outcomeOf(halvane, id, AT, 10), id).toEqual({ degraded, down });
    }
  });
  it.each(halvane.faults.map((fault) => [fault.id, fault] as const))(
    "%s ends through its repair, and not through another",
    (_id, fault) => {
      expect(fault.endedBy.length).toBeGreaterThan(0);
      const { world } = new Estate(halvane, AT, AT - 60_000);
      const spell = world.begin(fault, AT, undefined);
      world.advance(AT + 5000);
      expect(world.repair({ do: "renew-certificate", host: "nq-mail-01", process: "postbag" }, AT + 5000)).toBe(false);
      for (const repair of fault.endedBy) {
        const again = spell.toMs === Number.POSITIVE_INFINITY ? spell : world.begin(fault, world.state.atMs, undefined);
        world.advance(world.state.atMs + 5000);
        const station = "process" in repair ? world.layout.station(repair.host, repair.process) : undefined;
        if (repair.do === "restart" && station) world.restart(station, world.state.atMs);
        else if (repair.do === "stop" && station) world.stop(station, world.state.atMs);
        else if (repair.do === "roll-back" && station) world.rollBack(station, world.state.atMs);
        else expect(world.repair(repair, world.state.atMs)).toBe(true);
        expect(again.toMs).toBeLessThan(Number.POSITIVE_INFINITY);
      }
    },
  );
});
