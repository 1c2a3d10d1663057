import { readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { EstateModel } from "./model";
import { makeRhythm, wander } from "./rhythm";
import { readScenario, scaleScenario, type Scenario } from "./scenario";

const json = (file: string): unknown => JSON.parse(readFileSync(new URL(file, import.meta.url), "utf8"));
const halvane = readScenario(json("../scenarios/halvane.json"));
const AT = Date.parse("2026-03-17T10:00:00Z");
const small = (): Scenario => {
  const read = readScenario(json("../tests/fixtures/small-scenario.json"));
  if (!read.ok) throw new Error(read.problems.join("\n"));
  return read.scenario;
};

describe("the demonstration estate", () => {
  it("is whole: both machine rooms and the depot, two switches each, at least 60 components", () => {
    if (!halvane.ok) throw new Error(halvane.problems.join("\n"));
    expect(halvane.scenario.hosts.length).toBeGreaterThanOrEqual(60);
    for (const site of ["north", "south", "tarn"])
      expect(halvane.scenario.hosts.filter((host) => host.site === site && host.role === "access-switch")).toHaveLength(
        2,
      );
  });
  it("grows to 2,000 hosts, each with a name and address of its own", () => {
    if (!halvane.ok) throw new Error("unreadable");
    const { hosts } = scaleScenario(halvane.scenario, 2000);
    expect(hosts).toHaveLength(2000);
    expect(new Set(hosts.map((host) => host.address)).size).toBe(2000);
    expect(new Set(hosts.map((host) => host.name)).size).toBe(2000);
  });
});

describe("a scenario with a mistake", () => {
  const problemsOf = (change: (scenario: ReturnType<typeof small>) => void): string => {
    const scenario = structuredClone(small());
    change(scenario);
    const read = readScenario(scenario);
    return read.ok ? "" : read.problems.join("\n");
  };
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
    ["an address outside its site", (s) => (s.hosts[1]!.address = "127.22.1.1"), "127.22.1.1 is not in 127.21.1.0/24"],
    ["the same address twice", (s) => (s.hosts[1]!.address = s.hosts[0]!.address), "is used twice"],
    [
      "a fault of an unknown process",
      (s) => (s.faults[0]!.effect = { type: "memory-leak", process: "gone", toPercent: 90, riseSeconds: 5 }),
      "there is no process on t-web-01 named “gone”",
    ],
    ["a word it does not know", (s) => Object.assign(s, { colour: "red" }), "colour"],
  ])("%s is named with its place", (_name, change, sentence) => expect(problemsOf(change)).toContain(sentence));
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

describe("the model", () => {
  it("answers the same for the same seed and instant", () => {
    expect(new EstateModel(small(), AT).host("t-web-01")?.poll(AT)).toEqual(
      new EstateModel(small(), AT).host("t-web-01")?.poll(AT),
    );
    expect(new EstateModel({ ...small(), seed: 8 }, AT).host("t-web-01")?.poll(AT)).not.toEqual(
      new EstateModel(small(), AT).host("t-web-01")?.poll(AT),
    );
  });
  it("has counters that never fall", () => {
    const host = new EstateModel(small(), AT).host("t-db-01");
    fc.assert(
      fc.property(
        fc.integer({ min: AT - 14 * 86_400_000, max: AT }),
        fc.integer({ min: 1000, max: 900_000 }),
        (at, later) => {
          const [a, b] = [host?.poll(at), host?.poll(at + later)];
          return (
            (a?.interfaces[0]?.inOctets ?? 1) <= (b?.interfaces[0]?.inOctets ?? 0) &&
            (a?.processes[0]?.cpuHundredths ?? 1) <= (b?.processes[0]?.cpuHundredths ?? 0)
          );
        },
      ),
    );
  });
  it("leaks when a drill says so, and a restart of the process ends it", () => {
    const estate = new EstateModel(small(), AT);
    const host = estate.host("t-web-01");
    const used = (at: number) =>
      host?.poll(at).processes.find((process) => process.name === "shopfront")?.memoryBytes ?? 0;
    const before = used(AT);
    expect(estate.startDrill("front-leak", AT)?.id).toBe("front-leak");
    expect(estate.startDrill("front-leak", AT + 1)).toBeUndefined();
    expect(used(AT + 40_000)).toBeGreaterThan(before * 3);
    expect(estate.figure("orders_per_hour", AT + 40_000)).toBeLessThan((estate.figure("orders_per_hour", AT) ?? 0) / 2);
    host?.restart("shopfront", AT + 60_000);
    expect(used(AT + 61_000)).toBe(0);
    expect(used(AT + 70_000)).toBeGreaterThan(0);
    expect(used(AT + 70_000)).toBeLessThan(before * 1.2);
    expect(estate.isActive("front-leak", AT + 61_000)).toBe(false);
  });
  it("lists a connection on both of its ends", () => {
    const estate = new EstateModel(small(), AT);
    const caller = estate.host("t-web-01")?.connections(AT) ?? [];
    const called = estate.host("t-db-01")?.connections(AT) ?? [];
    expect(caller).toHaveLength(3);
    expect(called.map((row) => `${row.remoteAddress}:${row.remotePort}`).sort()).toEqual(
      caller.map((row) => `${row.localAddress}:${row.localPort}`).sort(),
    );
  });
  it("goes silent without power, connections included", () => {
    const estate = new EstateModel(small(), AT);
    estate.startDrill("store-dark", AT);
    expect(estate.host("t-db-01")?.isUp(AT + 1)).toBe(false);
    expect(estate.host("t-web-01")?.connections(AT + 1)).toEqual([]);
    estate.stopDrill("store-dark", AT + 10);
    expect(estate.host("t-db-01")?.isUp(AT + 11)).toBe(true);
  });
});

it("a process that spins shows in its own counter, and a restart shows there too", () => {
  if (!halvane.ok) throw new Error("unreadable");
  const estate = new EstateModel(halvane.scenario, AT);
  const host = estate.host("nq-berth-app-01");
  if (!host) throw new Error("no host");
  const time = (atMs: number) =>
    host.poll(atMs).processes.find((one) => one.name === "tidecalc")?.cpuHundredths ?? Number.NaN;
  /** Processors it uses between two instants. */
  const cores = (fromMs: number, toMs: number) => (time(toMs) - time(fromMs)) / ((toMs - fromMs) / 10);
  expect(cores(AT - 60_000, AT)).toBeLessThan(1.2);
  estate.startDrill("planner-spins", AT);
  expect(cores(AT + 60_000, AT + 120_000)).toBeGreaterThan(2);
  const before = time(AT + 120_000);
  host.restart("tidecalc", AT + 120_000);
  expect(time(AT + 130_000)).toBeLessThan(before / 10);
  expect(cores(AT + 130_000, AT + 190_000)).toBeLessThan(1.2);
});
