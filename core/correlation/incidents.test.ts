import { describe, expect, it } from "vitest";
import type { Severity } from "../alarms/severity";
import { CROWD_MS, placeAlarm, rankSuspects, SPELL_MS, type IncidentState } from "./incidents";
import { incidentSentence, watchSentence } from "./sentence";
import { knownUses, leadingShare, topProcesses, withShares } from "./odd-process";

const alarm = { atMs: 1_000_000, severity: "critical" as const, services: [1] };
const incident = (changes: Partial<IncidentState> = {}): IncidentState => ({
  id: 7,
  services: [1],
  related: undefined,
  openedMs: 0,
  resolvedMs: null,
  ...changes,
});
const place = (incidents: IncidentState[], changes: { severity?: Severity; services?: number[] } = {}) =>
  placeAlarm({ ...alarm, ...changes }, "Manifest Exchange", incidents);

describe("placing an alarm", () => {
  it("opens an incident for a service in a new spell", () =>
    expect(place([])).toMatchObject({
      action: "open",
      why: "first alarm affecting Manifest Exchange within 15 min",
    }));
  it("joins the open one of its service, not that of another", () => {
    expect(place([incident({ services: [2], id: 6 }), incident()])).toMatchObject({ action: "join", incidentId: 7 });
    expect(place([incident({ services: [2] })])).toMatchObject({ action: "open" });
  });
  it("opens another of the same service where the cause of the first is known and has nothing to do with it", () => {
    expect(place([incident({ isAnother: true })])).toMatchObject({ action: "open" });
    expect(place([incident({ isAnother: true, related: "a relies on b" })])).toMatchObject({ action: "join" });
  });
  it("opens one again that was resolved within the spell, and no later", () => {
    const again = "a had the same alarm";
    expect(place([incident({ again, resolvedMs: alarm.atMs - SPELL_MS })])).toMatchObject({
      action: "reopen",
      incidentId: 7,
      why: "a had the same alarm less than 15 min before",
    });
    expect(place([incident({ again, resolvedMs: alarm.atMs - SPELL_MS - 1 })])).toMatchObject({
      action: "open",
      incidentId: undefined,
    });
  });
  it("opens none again for what is another trouble, whatever relies on what", () => {
    const related = "a relies on b";
    expect(place([incident({ related, resolvedMs: alarm.atMs - 1 })])).toMatchObject({ action: "open" });
    // While it is open, that is reason enough.
    expect(place([incident({ related })])).toMatchObject({ action: "join", why: related });
  });
  it("opens none for a warning, but lets it join", () => {
    expect(place([], { severity: "warning" })).toMatchObject({ action: "leave" });
    expect(place([incident({ resolvedMs: alarm.atMs - 1 })], { severity: "warning" })).toMatchObject({
      action: "leave",
    });
    expect(place([incident()], { severity: "warning" })).toMatchObject({ action: "join" });
  });
  it("makes one incident of what several services share", () =>
    expect(place([], { services: [1, 2, 3] })).toMatchObject({ action: "open" }));
  it("keeps what many share and what one service has apart, unless they are related", () => {
    expect(place([incident({ services: [1, 2, 3] })])).toMatchObject({ action: "open" });
    expect(place([incident()], { services: [1, 2, 3] })).toMatchObject({ action: "open" });
    expect(place([incident({ services: [1, 2, 3], related: "a relies on b" })])).toMatchObject({
      action: "join",
      why: "a relies on b",
    });
  });
  it("prefers a related incident to a later one of the same service, and of related ones the latest", () => {
    expect(
      place([incident({ id: 8, openedMs: 500 }), incident({ id: 3, services: [1, 2], related: "a relies on b" })]),
    ).toMatchObject({ incidentId: 3 });
    expect(
      place([incident({ id: 3, openedMs: 10, related: "x" }), incident({ id: 4, openedMs: 20, related: "y" })]),
    ).toMatchObject({ incidentId: 4 });
  });
  it("gathers what no service needs by likeness, within five minutes, and nothing that a service needs", () => {
    const crowd = incident({
      services: [],
      alike: "the same at Tarn Depot at the same time",
      openedMs: alarm.atMs - CROWD_MS,
    });
    expect(place([crowd], { services: [] })).toMatchObject({
      action: "join",
      why: "the same at Tarn Depot at the same time",
    });
    expect(place([{ ...crowd, openedMs: alarm.atMs - CROWD_MS - 1 }], { services: [] })).toMatchObject({
      action: "open",
    });
    expect(place([crowd], { services: [1] })).toMatchObject({ action: "open" });
    expect(place([incident({ services: [2], alike: "the same" })], { services: [] })).toMatchObject({ action: "open" });
  });
  it("joins a related one where no service is affected", () => {
    expect(place([incident({ services: [], related: "the same component" })], { services: [] })).toMatchObject({
      action: "join",
    });
    expect(place([incident({ services: [] })], { services: [] })).toMatchObject({ action: "open" });
  });
});

describe("ranking suspects", () => {
  const suspect = (id: number, changes = {}) => ({
    alarmId: id,
    subjectName: `c${id}`,
    severity: "major" as const,
    raisedMs: id * 1000,
    text: "",
    dependants: 0,
    ...changes,
  });
  it("puts what others rely on before what was merely first, and says why", () => {
    const ranked = rankSuspects([suspect(1), suspect(2, { dependants: 2, severity: "critical" })]);
    expect(ranked[0]).toMatchObject({
      alarmId: 2,
      score: 7,
      reasons: ["2 other alarmed components rely on c2", "no other alarm is worse than critical"],
    });
    expect(ranked[1]?.reasons).toContain("its alarm came first of 2");
  });
  it("never puts the harm to a service before what could be its cause", () => {
    const ranked = rankSuspects([suspect(1, { isHarm: true, severity: "critical", dependants: 3 }), suspect(2)]);
    expect(ranked.map((one) => one.alarmId)).toEqual([2, 1]);
  });
});

describe("sentences", () => {
  const facts = {
    services: ["Manifest Exchange"],
    component: "nq-mfx-parse-01",
    problem: "Memory use at 92.8 % (mean of 5 samples), above the limit of 90 %",
    openedMs: 0,
    resolvedMs: null,
    nowMs: 240_000,
    relyingServices: ["Customs Release"],
    alarmCount: 1,
  };
  it("say what is wrong, since when and who is affected", () =>
    expect(incidentSentence({ ...facts, leading: { name: "manifest-parser", share: 0.826 } })).toBe(
      "On nq-mfx-parse-01: memory use at 92.8 % (mean of 5 samples), above the limit of 90 % (since 00:00, 4 min so far); manifest-parser alone held 83 % of its memory. Manifest Exchange is affected; Customs Release relies on it.",
    ));
  it("leave an acronym as it is written", () =>
    expect(incidentSentence({ ...facts, problem: "CPU usage at 97 %" })).toContain(
      "On nq-mfx-parse-01: CPU usage at 97 %",
    ));
  it("name the machine that takes most of a hypervisor, when it stands out", () => {
    const leadingGuest = { name: "nq-trial-01", processors: 7.9, share: 0.71 };
    expect(incidentSentence({ ...facts, leadingGuest })).toContain(
      "4 min so far); nq-trial-01 uses 71 % of the CPU that its virtual machines use. Manifest Exchange is affected",
    );
    expect(incidentSentence({ ...facts, leadingGuest: { ...leadingGuest, share: 0.29 } })).not.toContain("nq-trial-01");
  });
  it("speak of several services in the plural", () => {
    expect(incidentSentence({ ...facts, services: ["A", "B"], relyingServices: [] })).toContain(
      "A and B are affected, and no other service relies on them.",
    );
    expect(incidentSentence({ ...facts, services: ["A", "B"], relyingServices: ["C"], resolvedMs: 60_000 })).toContain(
      "A and B were affected; C relies on them.",
    );
    expect(incidentSentence({ ...facts, services: [] })).toContain("No service is known to rely on it.");
  });
  it("use the past for what is over, and name several services as a list", () => {
    const text = incidentSentence({ ...facts, resolvedMs: 180_000, relyingServices: ["A", "B", "C"] });
    expect(text).toContain("(from 00:00 to 00:03, 3 min in all)");
    expect(text).toContain("was affected; A, B and C rely on it.");
  });
  it("open Watch quietly when all is well", () => {
    const well = {
      organisation: "Halvane",
      unwell: [],
      openIncidents: [],
      serviceCount: 8,
      componentCount: 131,
      warnings: 0,
    };
    expect(watchSentence(well)).toBe("Halvane runs as it should: 8 services on 131 components, no open incident.");
    expect(watchSentence({ ...well, warnings: 1 })).toContain("1 component is past a warning limit.");
    expect(watchSentence({ ...well, componentCount: 0 })).toContain("Discover");
    expect(
      watchSentence({
        ...well,
        unwell: [{ name: "Gate", severity: "critical" }],
        openIncidents: [{ title: "x", severity: "critical" }],
      }),
    ).toContain("Gate is in trouble: 1 open incident");
  });
});

it("lists the largest processes first and the share of the largest", () => {
  const processes = [
    { name: "a", pid: 1, memoryBytes: 10 },
    { name: "b", pid: 2, memoryBytes: 60 },
    { name: "c", pid: 3, memoryBytes: 10 },
  ];
  expect(topProcesses(processes, 2).map((process) => process.name)).toEqual(["b", "a"]);
  expect(leadingShare(processes, 100)).toEqual({ name: "b", share: 0.6 });
  expect(leadingShare([], 100)).toBeUndefined();
});

it("puts processes in order by their connections only where these are known", () => {
  const told = [
    { name: "a", pid: 1, memoryBytes: 9, connections: 3 },
    { name: "b", pid: 2, memoryBytes: 1, connections: 40 },
    { name: "c", pid: 3, memoryBytes: 2 },
  ];
  expect(topProcesses(told, 3, "connections").map((one) => one.name)).toEqual(["b", "a", "c"]);
  expect(knownUses(told)).toEqual(["memory", "connections"]);
  expect(knownUses([{ name: "a", pid: 1, memoryBytes: 9, cpuPercent: 0 }])).toEqual(["processor", "memory"]);
});

it("works out of two looks what each process took of a processor, of those that are the same in both", () => {
  const at = (pid: number, name: string, cpuHundredths: number) => ({ pid, name, memoryBytes: 0, cpuHundredths });
  const before = [at(1, "store", 1000), at(2, "job", 50), at(3, "old", 10), at(4, "began anew", 900)];
  const now = [at(1, "store", 1020), at(2, "job", 250), at(3, "new", 15), at(4, "began anew", 5), at(5, "born", 3)];
  const shares = withShares(before, now, 2000);
  expect(shares.map((one) => one.cpuPercent)).toEqual([10, 100, undefined, undefined, undefined]);
  expect(topProcesses(shares, 2, "processor").map((one) => one.name)).toEqual(["job", "store"]);
  // Where the clock stands still, nothing is known of it.
  expect(withShares(before, now, 0).some((one) => "cpuPercent" in one)).toBe(false);
});
