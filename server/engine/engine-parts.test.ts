import { shippedBook } from "../estate/fingerprints";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { SPELL_MS } from "#core/correlation/incidents";
import type { AddressSighting, SystemSighting } from "#core/estate/sighting";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { Look } from "#core/estate/observation";
import { recognise } from "#core/estate/recognise";
import { takeInLook } from "../estate/take-in";
import { chartOf, dayVolume, usualNow } from "../pages/charts";
import { mapPage } from "../pages/map/page";
import { alarmById, alarmChanges, alarmDensity, listRules, offerRule, saveRule } from "../store/alarms";
import { changesIn, insertChange } from "../store/changes";
import { migrate, openStore, type Db } from "../store/database";
import { currentComponents, insertComponent } from "../store/estate";
import { currentRelations, insertRelation } from "../store/relations";
import { alarmsOfIncident, incidentEvents, incidentsIn } from "../store/incidents";
import { membersOf, healthAt, membersAt, relianceAt, saveService } from "../store/services";
import { seriesById } from "../store/signals";
import { insertSource, sourceById, type SourceRow } from "../store/sources";
import { correlate } from "../incidents/correlate";
import { readHarmMap } from "../causes/harm-map";
import { AlarmBook, type AlarmEvent } from "../alarms/alarm-book";
import { Evaluator } from "../alarms/evaluator";
import { Ranges } from "../alarms/ranges";
import type { Subject } from "../store/alarms";
import { SampleWriter } from "../ingest/sample-writer";
import { readGraph, refreshHealth, refreshServices, servicesByComponent, type HealthContext } from "../estate/services";

const AT = Date.parse("2026-03-17T10:00:00Z");
let folder: string;
let db: Db;
let source: SourceRow;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  source = sourceById(
    db,
    insertSource(
      db,
      {
        kind: "range",
        name: "s",
        site: "Room",
        settings: { ranges: "127.0.0.1-9", ports: "22", snmpPort: 161 },
        pollSeconds: 60,
      },
      "x",
      0,
    ),
  ) as SourceRow;
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const add = (name: string, kind = "host.linux", hostId: number | null = null) =>
  insertComponent(
    db,
    {
      kind,
      name,
      site: "Room",
      sourceId: source.id,
      hostId,
      address: hostId === null ? "127.0.0.1" : null,
      ...(hostId === null ? {} : { label: name.split(" @ ")[0], process: name.split(" @ ")[0] }),
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    AT - DAY_MS,
  );
const relate = (type: "talks-to" | "runs-on", fromId: number, toId: number) =>
  insertRelation(db, { type, fromId, toId, detail: "", connections: 1, seenBy: "both" }, AT - DAY_MS);
const memoryRule = () =>
  offerRule(db, {
    name: "memory",
    type: "threshold",
    settings: {
      metric: "memory.used",
      direction: "above",
      critical: 90,
      warning: 70,
      samples: 2,
      hysteresis: 5,
      memoryMinutes: 60,
    },
    scope: { subject: "component", kind: "host.*" },
    enabled: true,
  });

describe("the life of an alarm", () => {
  const setUp = () => {
    memoryRule();
    const id = add("a");
    const sampleWriter = new SampleWriter(db);
    const book = new AlarmBook(db);
    const evaluator = new Evaluator(db, book, new Ranges(db, sampleWriter, () => ({ budgetMs: 25, seldom: 1 })), {
      kindOf: () => "host.linux",
      serviceUid: () => undefined,
      beside: () => undefined,
      others: () => [],
      looksForEvidence: () => true,
      isWatched: () => true,
      recall: (id, from, to) => sampleWriter.recall(id, from, to),
      isTwin: () => false,
    });
    const series = sampleWriter.series({ componentId: id, serviceId: null }, "memory.used", "", "%", AT);
    const feed = (minute: number, value: number): AlarmEvent[] => {
      sampleWriter.record(series, AT + minute * MINUTE_MS, value);
      const events = db.transaction(() => evaluator.evaluate(sampleWriter.fresh))();
      sampleWriter.commit("tick", () => undefined);
      sampleWriter.judged();
      return events;
    };
    return { id, sampleWriter, evaluator, book, series, feed };
  };

  it("is raised once, gets worse, eases and clears, each change with its instant", () => {
    const { feed } = setUp();
    const events = [50, 95, 97, 99, 60, 60, 60].flatMap((value, minute) => feed(minute, value));
    expect(events.map((event) => [event.what, event.severity])).toEqual([
      ["raised", "warning"],
      ["worse", "critical"],
      ["better", "warning"],
      ["cleared", "cleared"],
    ]);
    const [first] = events;
    expect(alarmById(db, first?.alarmId ?? 0)).toMatchObject({
      severity: "cleared",
      worst: "critical",
      raised_at: AT + MINUTE_MS,
      cleared_at: AT + 5 * MINUTE_MS,
    });
    expect(alarmChanges(db, [first?.alarmId ?? 0]).map((change) => change.severity)).toEqual([
      "warning",
      "critical",
      "warning",
      "cleared",
    ]);
    expect(alarmDensity(db, AT, AT + HOUR_MS, HOUR_MS)).toEqual([{ step: 0, worst: "critical", count: 1 }]);
  });

  it("goes on after a restart as if there had been none", () => {
    const { feed, id } = setUp();
    for (const [minute, value] of [
      [0, 95],
      [1, 97],
    ] as const)
      feed(minute, value);
    const sampleWriter = new SampleWriter(db);
    const evaluator = new Evaluator(
      db,
      new AlarmBook(db),
      new Ranges(db, sampleWriter, () => ({ budgetMs: 25, seldom: 1 })),
      {
        kindOf: () => "host.linux",
        serviceUid: () => undefined,
        beside: () => undefined,
        others: () => [],
        looksForEvidence: () => true,
        isWatched: () => true,
        recall: (id, from, to) => sampleWriter.recall(id, from, to),
        isTwin: () => false,
      },
    );
    const series = sampleWriter.series({ componentId: id, serviceId: null }, "memory.used", "", "%", AT);
    expect(sampleWriter.last(series).value).toBe(97);
    sampleWriter.record(series, AT + 2 * MINUTE_MS, 96);
    expect(evaluator.evaluate(sampleWriter.fresh)).toEqual([]);
    sampleWriter.judged();
    for (const minute of [3, 4]) sampleWriter.record(series, AT + minute * MINUTE_MS, 40);
    expect(evaluator.evaluate(sampleWriter.fresh).map((event) => event.what)).toEqual(["better", "cleared"]);
  });

  it("is cleared when its rule is switched off, or its component leaves", () => {
    const { feed, evaluator, book, id } = setUp();
    feed(0, 95);
    feed(1, 95);
    const rule = listRules(db)[0];
    if (!rule) throw new Error("no rule");
    saveRule(db, rule.id, { ...rule, enabled: false });
    evaluator.loadRules();
    expect(feed(2, 95)).toMatchObject([{ what: "cleared", text: "The rule was switched off" }]);
    saveRule(db, rule.id, { ...rule, enabled: true });
    evaluator.loadRules();
    expect(feed(3, 95)).toMatchObject([{ what: "raised" }]);
    expect(book.clearAll({ type: "component", id }, "No longer monitored", AT + 4 * MINUTE_MS)).toMatchObject([
      { what: "cleared" },
    ]);
    expect(book.clearAll({ type: "component", id }, "No longer monitored", AT + 5 * MINUTE_MS)).toEqual([]);
  });

  it("is raised for a component whose kind becomes known after its first samples", () => {
    memoryRule();
    const id = add("a");
    const sampleWriter = new SampleWriter(db);
    let kind: string | undefined;
    const evaluator = new Evaluator(
      db,
      new AlarmBook(db),
      new Ranges(db, sampleWriter, () => ({ budgetMs: 25, seldom: 1 })),
      {
        kindOf: () => kind,
        serviceUid: () => undefined,
        beside: () => undefined,
        others: () => [],
        looksForEvidence: () => true,
        isWatched: () => true,
        recall: (series, from, to) => sampleWriter.recall(series, from, to),
        isTwin: () => false,
      },
    );
    const series = sampleWriter.series({ componentId: id, serviceId: null }, "memory.used", "", "%", AT);
    sampleWriter.record(series, AT, 95);
    expect(evaluator.evaluate(sampleWriter.fresh)).toEqual([]);
    sampleWriter.judged();
    kind = "host.linux";
    for (const minute of [1, 2]) sampleWriter.record(series, AT + minute * MINUTE_MS, 95);
    expect(evaluator.evaluate(sampleWriter.fresh).map((event) => event.what)).toEqual(["raised"]);
  });

  it("is not moved by samples that come late or repeat others", () => {
    const { sampleWriter, series } = setUp();
    sampleWriter.record(series, AT, 1);
    sampleWriter.record(series, AT, 1);
    sampleWriter.record(series, AT - 1, 99);
    expect(sampleWriter).toMatchObject({ repeated: 1, lateCount: 1 });
    expect(sampleWriter.fresh.map((sample) => sample.value)).toEqual([1]);
  });
});

describe("services and incidents", () => {
  /** Two services: Front (web on host 1) calls Back (app on host 2). */
  const setUp = () => {
    const hostA = add("h-a");
    const hostB = add("h-b");
    const web = add("web @ h-a", "app.web", hostA);
    const app = add("app @ h-b", "app.process", hostB);
    relate("runs-on", web, hostA);
    relate("runs-on", app, hostB);
    relate("talks-to", web, app);
    const front = saveService(
      db,
      { uid: "front", name: "Front", purpose: "", owner: "", entries: [{ host: "h-a", process: "web" }] },
      AT - DAY_MS,
    );
    const back = saveService(
      db,
      { uid: "back", name: "Back", purpose: "", owner: "", entries: [{ host: "h-*", process: "app" }] },
      AT - DAY_MS,
    );
    refreshServices(db, readGraph(db), AT - HOUR_MS);
    return { hostA, hostB, web, app, front, back };
  };
  const affected = (): Parameters<typeof correlate>[2] => {
    const services = servicesByComponent(db, AT);
    const rows = new Map(currentComponents(db).map((row) => [row.id, row]));
    return {
      graph: readGraph(db),
      harm: () => readHarmMap(db, readGraph(db), new Map()),
      servicesOf: ({ id }: Subject) => services.get(id) ?? [],
      nameOf: ({ id }: Subject) => rows.get(id)?.name ?? "",
      entriesOf: () => new Set<number>(),
      siteOf: ({ id }: Subject) => rows.get(id)?.site ?? "",
    };
  };
  const raise = (componentId: number, minute: number): AlarmEvent => {
    const alarm = db
      .prepare(
        `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity,
           worst, text, onset_at, raised_at, changed_at)
         VALUES ('component', ?, 'threshold', 'memory.used', 'above', 'memory.used.high', ?, 'critical', 'critical',
           'x', ?, ?, ?)`,
      )
      .run(componentId, String(minute), AT + minute * MINUTE_MS, AT + minute * MINUTE_MS, AT + minute * MINUTE_MS);
    return {
      what: "raised",
      alarmId: Number(alarm.lastInsertRowid),
      subject: { type: "component", id: componentId },
      metric: "memory.used",
      severity: "critical",
      text: "x",
      atMs: AT + minute * MINUTE_MS,
    };
  };
  const clear = (event: AlarmEvent, minute: number): AlarmEvent => {
    db.prepare("UPDATE alarm SET severity = 'cleared', cleared_at = ? WHERE id = ?").run(
      AT + minute * MINUTE_MS,
      event.alarmId,
    );
    return { ...event, what: "cleared", severity: "cleared", atMs: AT + minute * MINUTE_MS };
  };

  it("know their members, and who relies on whom", () => {
    const { hostA, hostB, web, app, front, back } = setUp();
    const members = (service: number) =>
      membersAt(db, AT)
        .filter((row) => row.service_id === service)
        .map((row) => row.component_id)
        .sort((a, b) => a - b);
    expect(members(front)).toEqual([hostA, web].sort((a, b) => a - b));
    expect(members(back)).toEqual([hostB, app].sort((a, b) => a - b));
    expect(relianceAt(db, AT).get(front)).toEqual(new Set([back]));
    expect(membersAt(db, AT - 2 * HOUR_MS)).toEqual([]);
  });

  it("gather what the same change came just before on, though nothing joins it", () => {
    const [one, other, third] = [add("x-1"), add("x-2"), add("x-3")] as const;
    setUp();
    const change = (componentId: number, ticket: string) =>
      insertChange(db, {
        atMs: AT - 10 * MINUTE_MS,
        kind: "change",
        componentId,
        summary: "new rules",
        by: "Ann",
        ticket,
      });
    change(one, "CHG-1");
    change(other, "CHG-1");
    change(third, "CHG-2");
    // Far enough apart that nothing but the change tells of it.
    for (const [at, id] of [one, other, third].entries()) correlate(db, [raise(id, at * 6)], affected());
    const incidents = incidentsIn(db, AT, AT + HOUR_MS).filter((incident) => incident.merged_into === null);
    const names = incidents.map(({ id }) => alarmsOfIncident(db, id).map((alarm) => alarm.subject));
    expect(names.sort()).toEqual([["x-1", "x-2"], ["x-3"]]);
    const [joined] = db.prepare("SELECT why FROM incident_alarm ORDER BY joined_at LIMIT 1 OFFSET 1").pluck().all();
    expect(joined).toBe("x-2 and x-1 were changed together: new rules");
  });

  it("keep one incident for a service and spell, resolve it, and open it again within the spell", () => {
    const { hostA, web } = setUp();
    const first = raise(hostA, 0);
    expect(correlate(db, [first], affected()).map((event) => event.what)).toEqual(["opened", "changed"]);
    const second = raise(web, 1);
    correlate(db, [second], affected());
    const [incident] = incidentsIn(db, AT, AT + HOUR_MS);
    expect(incidentsIn(db, AT, AT + HOUR_MS)).toHaveLength(1);
    expect(incident).toMatchObject({ service: "Front", title: "Front: memory is running out (0) on h-a" });
    // The process relies on its host, so the host is the suspect.
    expect(JSON.parse(incident?.suspect_reasons ?? "[]")).toContain("1 other alarmed component relies on h-a");
    correlate(db, [clear(first, 2)], affected());
    expect(incidentsIn(db, AT, AT + HOUR_MS)[0]?.resolved_at).toBeNull();
    expect(correlate(db, [clear(second, 3)], affected()).at(-1)?.what).toBe("resolved");
    expect(correlate(db, [raise(hostA, 10)], affected())[0]?.what).toBe("reopened");
    expect(alarmsOfIncident(db, incident?.id ?? 0)).toHaveLength(3);
    expect(incidentEvents(db, incident?.id ?? 0).map((event) => event.kind)).toEqual([
      "opened",
      "raised",
      "cause",
      "raised",
      "cleared",
      "cleared",
      "resolved",
      "reopened",
      "raised",
    ]);
  });

  it("open a new incident after the spell, and one of its own for what no service needs", () => {
    const { hostA } = setUp();
    const first = raise(hostA, 0);
    correlate(db, [first], affected());
    correlate(db, [clear(first, 1)], affected());
    correlate(db, [raise(hostA, 2 + SPELL_MS / MINUTE_MS)], affected());
    const alone = add("alone");
    correlate(db, [raise(alone, 30)], affected());
    expect(incidentsIn(db, AT, AT + 2 * HOUR_MS).map((incident) => incident.service)).toEqual([null, "Front", "Front"]);
  });

  it("share one incident on what carries both, and what relies on it joins with the reason", () => {
    const { hostA, hostB, web } = setUp();
    const below = add("virt-01", "host.hypervisor");
    for (const host of [hostA, hostB])
      insertRelation(
        db,
        { type: "hosted-by", fromId: host, toId: below, detail: "", connections: 0, seenBy: "" },
        AT - DAY_MS,
      );
    refreshServices(db, readGraph(db), AT - HOUR_MS);
    const hypervisor = raise(below, 0);
    const opened = correlate(db, [hypervisor], affected());
    expect(opened.map((one) => one.what)).toEqual(["opened", "changed"]);
    const id = opened[0]?.incidentId as number;
    expect(incidentsIn(db, AT, AT + HOUR_MS)).toMatchObject([
      {
        id,
        service: "2 services",
        services: [{ name: "Back" }, { name: "Front" }],
        title: "2 services: memory is running out (0) on virt-01",
      },
    ]);
    const front = raise(web, 1);
    correlate(db, [front], affected());
    expect(incidentsIn(db, AT, AT + HOUR_MS)).toHaveLength(1);
    expect(alarmsOfIncident(db, id).map((alarm) => alarm.why)).toEqual([
      "first alarm affecting 2 services within 15 min",
      "web @ h-a relies on virt-01",
    ]);
    // What is relied on stays the suspect, whatever came later.
    expect(incidentsIn(db, AT, AT + HOUR_MS)[0]?.title).toBe("2 services: memory is running out (0) on virt-01");
    expect(correlate(db, [clear(hypervisor, 5), clear(front, 5)], affected()).map((one) => one.what)).toEqual([
      "resolved",
    ]);
  });

  it("find the cause though what suffers spoke first, and then know of everybody it hurts", () => {
    const { hostA, hostB, web } = setUp();
    const below = add("virt-01", "host.hypervisor");
    for (const host of [hostA, hostB])
      insertRelation(
        db,
        { type: "hosted-by", fromId: host, toId: below, detail: "", connections: 0, seenBy: "" },
        AT - DAY_MS,
      );
    refreshServices(db, readGraph(db), AT - HOUR_MS);
    correlate(db, [raise(web, 0)], affected());
    expect(incidentsIn(db, AT, AT + HOUR_MS)).toMatchObject([{ service: "Front" }]);
    correlate(db, [raise(below, 1)], affected());
    expect(incidentsIn(db, AT, AT + HOUR_MS)).toMatchObject([
      { service: "2 services", title: "2 services: memory is running out (1) on virt-01" },
    ]);
  });

  it("gather what no service needs and went silent together, and let go of it together", () => {
    setUp();
    const crowd = Array.from({ length: 40 }, (_, index) => raise(add(`lone-${index}`), 0));
    correlate(db, crowd, affected());
    const [one, ...others] = incidentsIn(db, AT, AT + HOUR_MS);
    expect(others).toEqual([]);
    expect(one).toMatchObject({ service: null, title: "Memory is running out (0) on lone-0 and 39 more" });
    expect(alarmsOfIncident(db, one?.id ?? 0)[39]?.why).toBe("the same at Room at the same time");
    expect(
      correlate(
        db,
        crowd.map((event) => clear(event, 3)),
        affected(),
      ).map((event) => event.what),
    ).toEqual(["resolved"]);
    // Later, at another time, it is another affair.
    correlate(db, [raise(add("late"), 30)], affected());
    expect(incidentsIn(db, AT, AT + HOUR_MS)).toHaveLength(2);
  });

  it("judge what an agent sends of a host that is polled too only once", () => {
    memoryRule();
    const id = add("a");
    const sampleWriter = new SampleWriter(db);
    const isTwin = (series: {
      resourceId: number | null;
      componentId: number | null;
      metric: string;
      instance: string;
    }) =>
      series.resourceId !== null &&
      sampleWriter.find({ componentId: series.componentId, serviceId: null }, series.metric, series.instance) !==
        undefined;
    const evaluator = new Evaluator(
      db,
      new AlarmBook(db),
      new Ranges(db, sampleWriter, () => ({ budgetMs: 25, seldom: 1 })),
      {
        kindOf: () => "host.linux",
        serviceUid: () => undefined,
        beside: () => undefined,
        others: () => [],
        looksForEvidence: () => true,
        isWatched: () => true,
        recall: (series, from, to) => sampleWriter.recall(series, from, to),
        isTwin,
      },
    );
    const resourceId = Number(
      db
        .prepare(
          "INSERT INTO resource (attributes, component_id, matched_by, first_at, last_at) VALUES ('{}', ?, '', 0, 0)",
        )
        .run(id).lastInsertRowid,
    );
    const polled = sampleWriter.series({ componentId: id, serviceId: null }, "memory.used", "", "%", AT);
    const sent = sampleWriter.series({ componentId: id, serviceId: null, resourceId }, "memory.used", "", "%", AT);
    for (const minute of [0, 1]) {
      sampleWriter.record(polled, AT + minute * MINUTE_MS, 95);
      sampleWriter.record(sent, AT + minute * MINUTE_MS, 20);
    }
    expect(evaluator.evaluate(sampleWriter.fresh).map((event) => event.what)).toEqual(["raised"]);
  });

  it("are as well as the worst of their members, at every instant", () => {
    const { hostB, back, front } = setUp();
    const event = raise(hostB, 0);
    refreshHealth(
      db,
      [{ type: "component", id: hostB }],
      { servicesOf: servicesByComponent(db, AT), isMeasured: () => false, takes: () => true },
      AT,
    );
    expect(healthAt(db, "service", AT).get(back)).toMatchObject({ severity: "critical", reason: "h-b: x" });
    expect(healthAt(db, "service", AT).has(front)).toBe(false);
    expect(mapPage(db, { atMs: AT, service: "back" }).unwell).toBe(1);
    // Where it is measured how it does, its members' alarms are what it relies on, and no harm to it.
    refreshHealth(
      db,
      [{ type: "component", id: hostB }],
      { servicesOf: servicesByComponent(db, AT), isMeasured: () => true, takes: () => true },
      AT + MINUTE_MS,
    );
    expect(healthAt(db, "service", AT + 2 * MINUTE_MS).has(back)).toBe(false);
    expect(healthAt(db, "members", AT + 2 * MINUTE_MS).get(back)).toMatchObject({ severity: "critical" });
    // What tells of hours past, as a budget does, is no harm of now; what fails now is.
    const own = db.prepare(
      `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity, worst,
         text, onset_at, raised_at, changed_at) VALUES ('service', ?, ?, ?, 'above', ?, '', 'major', 'major', ?, 0, 0, 0)`,
    );
    const measured: HealthContext = {
      servicesOf: servicesByComponent(db, AT),
      isMeasured: () => true,
      takes: () => true,
    };
    own.run(front, "burn", "objective.burn", "objective.burn.high", "burns");
    refreshHealth(db, [{ type: "service", id: front }], measured, AT + 3 * MINUTE_MS);
    expect(healthAt(db, "service", AT + 3 * MINUTE_MS).has(front)).toBe(false);
    own.run(front, "calls", "calls.failing", "calls.failing.high", "fails");
    refreshHealth(db, [{ type: "service", id: front }], measured, AT + 4 * MINUTE_MS);
    expect(healthAt(db, "service", AT + 4 * MINUTE_MS).get(front)).toMatchObject({
      severity: "major",
      reason: "fails",
    });
    db.exec("DELETE FROM alarm WHERE subject_type = 'service'");
    // One operation that goes badly where it is entered hurts it, though among all its calls that is hardly seen; what
    // the entry point itself calls is no answer of its own.
    const entry = membersOf(db, front, AT).find((row) => row.entry)?.component_id ?? 0;
    const onEntry = (qualifier: string, atMs: number) => {
      db.prepare(
        `INSERT INTO alarm (subject_type, subject_id, detector, metric, direction, alarm_type, qualifier, severity, worst,
           text, onset_at, raised_at, changed_at) VALUES ('component', ?, 'calls', 'calls.slow', 'above', 'calls.slow.high', ?, 'critical', 'critical', 'is slow', 0, 0, 0)`,
      ).run(entry, qualifier);
      refreshHealth(db, [{ type: "component", id: entry }], measured, atMs);
      db.exec("DELETE FROM alarm WHERE detector = 'calls'");
      return healthAt(db, "service", atMs).get(front);
    };
    expect(onEntry("to the store", AT + 4.5 * MINUTE_MS)).toBeUndefined();
    expect(onEntry("GET /slots", AT + 4.7 * MINUTE_MS)).toMatchObject({ severity: "major" });
    // What is answered there for another service is no harm to this one.
    measured.takes = (_service: number, _component: number, operation: string) => operation !== "GET /slots";
    expect(onEntry("GET /slots", AT + 4.8 * MINUTE_MS)).toBeUndefined();
    expect(onEntry("GET /yards", AT + 4.9 * MINUTE_MS)).toMatchObject({ severity: "major" });
    refreshHealth(
      db,
      [
        { type: "component", id: entry },
        { type: "service", id: front },
      ],
      measured,
      AT + 5 * MINUTE_MS,
    );
    clear(event, 5);
    refreshHealth(
      db,
      [{ type: "component", id: hostB }],
      { servicesOf: servicesByComponent(db, AT), isMeasured: () => false, takes: () => true },
      AT + 5 * MINUTE_MS,
    );
    expect(healthAt(db, "service", AT + 6 * MINUTE_MS).size).toBe(0);
    expect(mapPage(db, { atMs: AT + MINUTE_MS, service: "back" }).unwell).toBe(1);
  });
});

describe("taking sightings in", () => {
  const system = (name: string, changes: Partial<SystemSighting> = {}): SystemSighting => ({
    sysDescr: "Linux",
    sysObjectId: "1.3.6.1.4.1.8072.3.2.10",
    sysName: `${name}.halvane.example`,
    sysLocation: "",
    sysContact: "",
    sysServices: 72,
    processors: 1,
    interfaces: [],
    storage: [],
    software: [{ pid: 1, name: "app", path: "", parameters: "" }],
    listeners: [{ address: "0.0.0.0", port: 8081, pid: 1 }],
    connections: [],
    neighbours: [],
    ...changes,
  });
  const sighting = (address: string, told?: SystemSighting): AddressSighting => ({
    address,
    open: [{ port: 22, banner: "SSH-2.0-x" }],
    ...(told ? { system: told } : {}),
    failures: [],
  });
  const take = (sightings: AddressSighting[], minute: number, complete = true) => {
    const atMs = AT + minute * MINUTE_MS;
    const observations = sightings.flatMap((one) => {
      const recognised = recognise(one, shippedBook(process.cwd()));
      return recognised ? [recognised.host, ...recognised.parts] : [];
    });
    const look: Look = {
      observer: { sourceId: source.id, label: "sweep of s", site: "Room" },
      atMs,
      sinceMs: atMs,
      observations,
    };
    const spans = [{ first: 0x7f000001, last: 0x7f000009 }];
    const { news, retired } = takeInLook(db, look, complete ? [{ what: "addresses", spans }] : []);
    const found: Record<string, number> = {};
    for (const { outcome } of news) found[outcome] = (found[outcome] ?? 0) + 1;
    return { news, retired, found };
  };

  it("writes hosts, their processes and who runs where; what is told again unchanged is no change", () => {
    expect(take([sighting("127.0.0.1", system("a"))], 0).found).toEqual({ new: 2 });
    expect(currentRelations(db).map((row) => row.type)).toEqual(["runs-on"]);
    expect(take([sighting("127.0.0.1", system("a"))], 1).found).toEqual({});
    expect(changesIn(db, AT, AT + HOUR_MS)).toHaveLength(2);
  });

  it("tells what changed as before and after, and when a conversation begins", () => {
    const b = system("b");
    take([sighting("127.0.0.1", system("a")), sighting("127.0.0.2", b)], 0);
    const calling = system("a", {
      sysLocation: "Rack 4",
      connections: [
        { localAddress: "127.0.0.1", localPort: 40_000, remoteAddress: "127.0.0.2", remotePort: 8081, pid: 1 },
      ],
    });
    const { news, found } = take([sighting("127.0.0.1", calling), sighting("127.0.0.2", b)], 5);
    expect(found).toEqual({ changed: 1 });
    expect(news.find((one) => one.outcome === "changed")?.detail).toContain("location is now “Rack 4”");
    expect(changesIn(db, AT + MINUTE_MS, AT + HOUR_MS).map((change) => change.summary)).toEqual([
      "app @ a now talks to app @ b on port 8081",
      "a: location is now “Rack 4”",
    ]);
  });

  it("keeps what a system told when it is later seen from outside only", () => {
    take([sighting("127.0.0.1", system("a"))], 0);
    expect(take([sighting("127.0.0.1")], 1).found).toEqual({});
    expect(take([sighting("127.0.0.1")], 2).retired).toEqual([]);
    expect(
      currentComponents(db)
        .map((row) => row.name)
        .sort(),
    ).toEqual(["a", "app @ a"]);
  });

  it("retires at the second miss only, and never after a sweep that was cut short", () => {
    take([sighting("127.0.0.1", system("a"))], 0);
    expect(take([], 1, false).found).toEqual({});
    expect(take([], 2).found).toEqual({ missing: 1 });
    expect(take([], 3).found).toEqual({ gone: 2 });
    expect(take([sighting("127.0.0.1", system("a"))], 4).found).toEqual({ back: 2 });
  });
});

describe("figures of a day", () => {
  const setUp = (valueAt: (at: number) => number) => {
    const service = saveService(
      db,
      { uid: "gate", name: "Gate", purpose: "", owner: "", entries: [{ host: "*", process: "x" }] },
      0,
    );
    const sampleWriter = new SampleWriter(db);
    const series = sampleWriter.series({ componentId: null, serviceId: service }, "truck_moves_per_hour", "", "1/h", 0);
    for (let at = AT - 8 * DAY_MS; at <= AT; at += 10 * MINUTE_MS) sampleWriter.record(series, at, valueAt(at));
    sampleWriter.commit("tick", () => undefined);
    sampleWriter.judged();
    const row = seriesById(db, series.id);
    if (!row) throw new Error("no series");
    return row;
  };
  it("stand beside what is usual at the same hours: of the same weekday, or of the seven days before where that is asked for", () => {
    const midnight = Math.floor(AT / DAY_MS) * DAY_MS;
    // A week ago was a holiday.
    const row = setUp(
      (at) => (at >= midnight ? 300 : at < midnight - 6 * DAY_MS ? 20 : 100) + new Date(at).getUTCHours(),
    );
    const weekday = dayVolume(db, row, "truck moves", AT);
    expect(weekday.hours[4]).toEqual({ hour: 4, today: 304, usual: 24, before: 1 });
    expect(weekday.usualOf).toBe("last Tuesday");
    const days = dayVolume(db, row, "truck moves", AT, "days");
    expect(days.hours[4]?.usual).toBeCloseTo((6 * 104 + 24) / 7, 4);
    expect(days.hours[15]).toMatchObject({ today: null, before: 7 });
    expect(days.usualOf).toBe("past 7 days");
    expect(usualNow(db, row.id, AT)).toMatchObject({
      words: "last Tuesday",
      value: expect.closeTo(29.75, 0) as number,
    });
  });
  it("are drawn with their extremes, whatever the width", () => {
    const spike = AT - 3 * DAY_MS;
    const row = setUp((at) => (at === spike ? 999 : 10));
    for (const width of [20, 200]) {
      const chart = chartOf(db, row, AT - 7 * DAY_MS, AT, { width });
      expect(Math.max(...chart.points.map((point) => point[3] ?? 0))).toBe(999);
      expect(chart.legend).toMatchObject({ min: 10, max: 999, last: 10 });
    }
  });
});
