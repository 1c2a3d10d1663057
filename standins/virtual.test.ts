import { readFileSync } from "node:fs";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { measureHost, type CounterMemory } from "#core/telemetry/poll";
import { measuredOf } from "./agents";
import { EstateModel, type HostModel } from "./model";
import { readScenario, scaleScenario, type Scenario } from "./scenario";

const read = readScenario(JSON.parse(readFileSync(new URL("../scenarios/halvane.json", import.meta.url), "utf8")));
if (!read.ok) throw new Error(read.problems.join("\n"));
const { scenario } = read;
const AT = Date.parse("2026-03-17T10:00:00Z");
const fresh = () => new EstateModel(scenario, AT);
const hostOf = (estate: EstateModel, name: string): HostModel => {
  const host = estate.host(name);
  if (!host) throw new Error(`no host ${name}`);
  return host;
};
const mean = (list: readonly number[]) => list.reduce((sum, one) => sum + one, 0) / list.length;

describe("a hypervisor of the stand-ins", () => {
  it("tells of the machines that are on it, in the file's order, each with an id of its own", () => {
    const estate = fresh();
    const all = estate.hosts.filter((host) => host.role.system === "hypervisor");
    expect(all.length).toBeGreaterThanOrEqual(2);
    for (const hypervisor of all)
      expect(hypervisor.guestRows(AT).map((row) => row.name)).toEqual(
        scenario.hosts.filter((host) => host.on === hypervisor.name).map((host) => host.name),
      );
    const ids = all.flatMap((hypervisor) => hypervisor.guestRows(AT).map((row) => row.uuid));
    expect(new Set(ids).size).toBe(ids.length);
    expect(fresh().hosts.flatMap((host) => host.guestRows(AT).map((row) => row.uuid))).toEqual(ids);
  });

  it("has no more memory in use than it has, and more processors allotted the more machines run", () => {
    const poll = hostOf(fresh(), "nq-virt-01").poll(AT);
    const ram = poll.storage.find((row) => row.type === "ram");
    expect(ram?.usedBytes).toBeLessThan(ram?.sizeBytes ?? 0);
    expect(ram?.usedBytes).toBeGreaterThan(poll.guests?.reduce((sum, guest) => sum + guest.memoryBytes, 0) ?? 0);
  });

  it("is as busy as its machines: more by day than by night", () => {
    const hypervisor = hostOf(fresh(), "nq-virt-02");
    const load = (at: string) => mean(hypervisor.poll(Date.parse(at)).processorLoads);
    expect(load("2026-03-17T09:30:00Z")).toBeGreaterThan(load("2026-03-17T02:30:00Z") * 2);
  });

  it("takes its machines down with it", () => {
    const estate = fresh();
    estate.afflict(
      { id: "dark", title: "", story: "", host: "nq-virt-01", effect: { type: "power-loss" }, cause: "c", repair: "r" },
      "nq-virt-01",
      AT,
      AT + 60_000,
    );
    expect(hostOf(estate, "nq-gate-web-01").isUp(AT + 1000)).toBe(false);
    expect(hostOf(estate, "nq-gate-db-01").isUp(AT + 1000)).toBe(true);
    expect(hostOf(estate, "nq-gate-web-01").isUp(AT + 60_001)).toBe(true);
  });
});

describe("one machine that takes everything", () => {
  const estate = fresh();
  const hypervisor = hostOf(estate, "nq-virt-01");
  const trial = hostOf(estate, "nq-trial-01");
  const front = hostOf(estate, "nq-gate-web-01");
  estate.startDrill("machine-hogs", AT);
  const during = AT + 120_000;

  it("saturates the hypervisor and itself, and leaves what the others measure of themselves alone", () => {
    expect(mean(hypervisor.poll(during).processorLoads)).toBeGreaterThan(90);
    // It gets what the others leave.
    expect(mean(trial.poll(during).processorLoads)).toBeGreaterThan(60);
    expect(mean(front.poll(during).processorLoads)).toBeLessThan(60);
  });
  it("makes the others wait and suffer, but not itself, nor machines elsewhere", () => {
    expect(front.stolenPercent(during)).toBeGreaterThan(15);
    expect(front.stolenPercent(AT - 1)).toBeLessThan(2);
    expect(trial.stolenPercent(during)).toBeLessThan(2);
    expect(hostOf(estate, "sq-gate-web-01").stolenPercent(during)).toBeLessThan(2);
    expect(front.suffers(during)).toBe(1);
    expect(trial.suffers(during)).toBe(0);
    // Its own lines are about its own faults only.
    expect(front.suffers(during, "machine-hogs")).toBe(0);
  });
  it("stands out among the machines by what the hypervisor counts", () => {
    const memory: CounterMemory = new Map();
    measureHost(hypervisor.poll(during), during, memory, new Set());
    const later = hypervisor.poll(during + 60_000);
    const { guests } = measureHost(later, during + 60_000, memory, new Set());
    const used = later.guests?.map((guest, index) => ({
      name: guest.name,
      processors:
        ((guests[index]?.find((one) => one.metric === "guest.cpu.used")?.value ?? 0) / 100) * guest.processors,
    }));
    const [first, second] = used?.sort((a, b) => b.processors - a.processors) ?? [];
    expect(first?.name).toBe("nq-trial-01");
    expect(first?.processors).toBeGreaterThan(2 * (second?.processors ?? 0));
  });
  it.each([
    ["as usual", -3_600_000],
    ["while one takes everything", 120_000],
  ])("tells no more and no less of its machines than of itself, %s", (_when, offset) => {
    const memory: CounterMemory = new Map();
    const from = AT + offset;
    measureHost(hypervisor.poll(from), from, memory, new Set());
    const to = from + 60_000;
    const { host, guests } = measureHost(hypervisor.poll(to), to, memory, new Set());
    const machines = hypervisor.poll(to).guests ?? [];
    const used = machines.reduce(
      (sum, guest, index) =>
        sum + ((guests[index]?.find((one) => one.metric === "guest.cpu.used")?.value ?? 0) / 100) * guest.processors,
      0,
    );
    const load = host.find((one) => one.metric === "cpu.used")?.value ?? 0;
    expect(Math.abs((used * 100) / 24 - load)).toBeLessThan(12);
  });
  it("ends with the drill", () => {
    expect(estate.stopDrill("machine-hogs", AT + 300_000)).toBe(true);
    expect(mean(hypervisor.poll(AT + 301_000).processorLoads)).toBeLessThan(60);
    expect(front.stolenPercent(AT + 301_000)).toBeLessThan(2);
  });
});

it("counters of machines never fall, whatever faults begin and end", () => {
  const estate = fresh();
  estate.startDrill("machine-hogs", AT);
  estate.stopDrill("machine-hogs", AT + 400_000);
  estate.startDrill("planner-spins", AT + 100_000);
  estate.stopDrill("planner-spins", AT + 200_000);
  fc.assert(
    fc.property(
      fc.constantFrom("nq-virt-01", "nq-virt-02"),
      fc.integer({ min: -3_600_000, max: 3_600_000 }),
      fc.integer({ min: 0, max: 600_000 }),
      (name, from, span) => {
        const before = hostOf(estate, name).guestRows(AT + from);
        const after = hostOf(estate, name).guestRows(AT + from + span);
        return before.every((guest, index) => (after[index]?.cpuMicroseconds ?? 0) >= guest.cpuMicroseconds);
      },
    ),
    { numRuns: 200 },
  );
});

describe("what agents of the stand-ins measure", () => {
  const measured = measuredOf(fresh());
  it("has the same metrics at every instant, percentages within bounds, and nothing of what is down", () => {
    expect(measured.filter((one) => one.attributes["container.id"])).toHaveLength(6);
    for (const at of [AT, AT - 9 * 3_600_000, AT + 86_400_000])
      for (const one of measured) {
        const values = one.valuesAt(at);
        expect(values).toHaveLength(one.metrics.length);
        one.metrics.forEach((metric, index) => {
          const value = values?.[index] as number;
          expect(value).toBeGreaterThanOrEqual(0);
          if (metric.unit === "%") expect(value).toBeLessThanOrEqual(100);
        });
      }
    const host = hostOf(fresh(), "td-rail-01");
    expect(
      measuredOf({ ...fresh(), hosts: [Object.assign(host, { isUp: () => false })] } as unknown as EstateModel).every(
        (one) => one.valuesAt(AT) === undefined,
      ),
    ).toBe(true);
  });
  it("gives every container an id of its own that stays", () => {
    const ids = measured.flatMap((one) => one.attributes["container.id"] ?? []);
    expect(new Set(ids).size).toBe(6);
    for (const id of ids) expect(id).toMatch(/^[0-9a-f]{64}$/);
    expect(measuredOf(fresh()).flatMap((one) => one.attributes["container.id"] ?? [])).toEqual(ids);
  });
  it("holds a container back only when it wants nearly what it may have", () => {
    for (const one of measured.filter((each) => each.attributes["container.name"] === "yard-sync"))
      expect(one.valuesAt(AT)?.[2]).toBe(0);
  });
});

describe("a scenario of virtual machines", () => {
  const problemsOf = (change: (draft: Scenario) => void): string => {
    const draft = structuredClone(scenario);
    change(draft);
    const again = readScenario(draft);
    return again.ok ? "" : again.problems.join("\n");
  };
  const host = (draft: Scenario, name: string) =>
    draft.hosts.find((one) => one.name === name) as Scenario["hosts"][number];
  it.each<[string, (draft: Scenario) => void, string]>([
    [
      "a machine on nothing",
      (draft) => (host(draft, "nq-dir-01").on = "gone"),
      "hosts.nq-dir-01.on: there is no host “gone”",
    ],
    [
      "a machine on no hypervisor",
      (draft) => (host(draft, "nq-dir-01").on = "nq-gate-db-01"),
      "hosts.nq-dir-01.on: nq-gate-db-01 is no hypervisor.",
    ],
    [
      "a machine before its hypervisor",
      (draft) => draft.hosts.unshift(...draft.hosts.splice(draft.hosts.indexOf(host(draft, "nq-dir-01")), 1)),
      "hosts.nq-dir-01.on: write nq-virt-01 before its virtual machines.",
    ],
    [
      "a fault of a machine that is elsewhere",
      (draft) =>
        Object.assign(draft.faults.find((one) => one.id === "machine-hogs") as object, {
          effect: { type: "guest-hog", guest: "sq-dir-01", toPercent: 97, riseSeconds: 3 },
        }),
      "faults.machine-hogs.effect.guest: sq-dir-01 is not on nq-virt-01.",
    ],
    [
      "containers that nobody tells of",
      (draft) => ((draft.roles["depot-app"] as Scenario["roles"][string]).agent = false),
      "roles.depot-app.containers: nobody tells of containers on a host without an agent.",
    ],
  ])("%s is named with its place", (_what, change, sentence) => expect(problemsOf(change)).toContain(sentence));
  it("copies machines together with what they are on", () => {
    const large = scaleScenario(scenario, 400);
    const names = new Set(large.hosts.map((one) => one.name));
    for (const one of large.hosts) if (one.on) expect(names.has(one.on)).toBe(true);
    expect(large.hosts.find((one) => one.name === "nq-dir-01-x3")?.on).toBe("nq-virt-01-x3");
    const place = new Map(large.hosts.map((one, index) => [one.name, index]));
    for (const one of large.hosts) if (one.on) expect(place.get(one.on)).toBeLessThan(place.get(one.name) as number);
  });
});
