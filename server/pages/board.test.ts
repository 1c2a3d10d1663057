import { beforeEach, describe, expect, it } from "vitest";
import { thresholdSettings } from "#core/detection/threshold";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { useStore } from "../../tests/store";
import { SampleWriter } from "../ingest/sample-writer";
import { listRules, offerRule, raiseAlarm } from "../store/alarms";
import { insertChange } from "../store/changes";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { joinIncident, openIncident, resolveIncident, takeIncident, updateIncident } from "../store/incidents";
import { saveService, writeHealth } from "../store/services";
import { endSweep, insertFinding, insertSource, insertSweep, updateSweep } from "../store/sources";
import { discoverPage, sourcePage, sweepPage } from "./discover";
import { incidentPage } from "./incident/page";
import { incidentList } from "./incidents";
import { mapPage } from "./map/page";
import { ribbon, watchPage } from "./watch";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
let host: number;
let serviceId: number;
let made = 0;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    `DELETE FROM health; DELETE FROM incident_alarm; DELETE FROM incident_event; DELETE FROM incident_service; DELETE
     FROM incident; DELETE FROM alarm; DELETE FROM rule; DELETE FROM change; DELETE FROM finding; DELETE
     FROM sweep; DELETE FROM chunk; DELETE FROM series; DELETE FROM component_key; DELETE FROM component; DELETE
     FROM source; DELETE FROM service`,
  );
  host = add("h-1");
  serviceId = saveService(
    db,
    {
      uid: "gate",
      name: "Gate",
      purpose: "Lets trucks in.",
      owner: "",
      entries: [],
      figure: { label: "moves", unit: "1/h", url: "http://127.0.0.1:1/m", metric: "moves", headline: true },
    },
    AT - 30 * DAY_MS,
  );
  offerRule(db, {
    name: "Memory",
    type: "threshold",
    settings: thresholdSettings.parse({ metric: "memory.used", direction: "above", major: 90 }),
    scope: { subject: "component", kind: "host.linux" },
    enabled: true,
  } as Parameters<typeof offerRule>[1]);
});

function add(name: string, site = "Room") {
  return insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site,
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: [`k:${name}`],
      facts: {},
    },
    AT - 30 * DAY_MS,
  );
}
const alarm = (componentId: number, atMs: number) =>
  raiseAlarm(
    db,
    {
      ruleId: listRules(db)[0]?.id,
      subject: { type: "component", id: componentId },
      seriesId: null,
      qualifier: `disk ${made++}`,
      metric: "memory.used",
      direction: "above",
      detector: "threshold",
      severity: "major",
      text: "Memory usage at 95 % above the limit of 90 %",
      score: 1,
      onsetMs: atMs,
    } as unknown as Parameters<typeof raiseAlarm>[1],
    atMs,
  );
function incident(title: string, openedMs: number, alarms: number) {
  const id = openIncident(db, { subject: `component:${host}`, title, severity: "major" }, openedMs);
  for (let index = 0; index < alarms; index++) {
    const raised = alarm(index === 0 ? host : add(`${title}-${index}`), openedMs + index);
    joinIncident(db, id, raised, "first", openedMs + index);
    if (index === 0)
      updateIncident(db, id, {
        title,
        severity: "major",
        worst: "major",
        suspectAlarmId: raised,
        suspectReasons: [],
        causes: [],
      } as unknown as Parameters<typeof updateIncident>[2]);
  }
  return id;
}

describe("the list of incidents", () => {
  it("counts the alarms of each by itself", () => {
    const first = incident("a", AT - HOUR_MS, 3);
    const second = incident("b", AT - HOUR_MS / 2, 1);
    const rows = incidentList(db, { fromMs: AT - DAY_MS, toMs: AT, state: "all" });
    expect(Object.fromEntries(rows.map((row) => [row.id, row.alarmCount]))).toEqual({ [first]: 3, [second]: 1 });
  });
  it("is of the window: what was open at its end is open there, though it resolved since", () => {
    const id = incident("a", AT - 2 * HOUR_MS, 1);
    resolveIncident(db, id, AT - MINUTE_MS);
    const at = (toMs: number, state: string) =>
      incidentList(db, { fromMs: AT - DAY_MS, toMs, state }).map((row) => [row.id, row.isOpen]);
    expect(at(AT, "all")).toEqual([[id, false]]);
    expect(at(AT, "open")).toEqual([]);
    expect(at(AT - HOUR_MS, "open")).toEqual([[id, true]]);
    expect(at(AT - HOUR_MS, "resolved")).toEqual([]);
    expect(at(AT - 3 * HOUR_MS, "all")).toEqual([]);
  });
});

describe("the page of an incident", () => {
  it("says what is wrong on which component, since when", () => {
    const id = incident("h-1: memory is running out", AT - HOUR_MS, 1);
    const page = incidentPage(db, { id, nowMs: AT, root: process.cwd() });
    expect(page?.sentence).toContain("On h-1: memory usage at 95 %");
    expect(page?.sentence).toContain("since 09:00, 1 h so far");
    expect(page?.incident.title).toBe("h-1: memory is running out");
  });
  it("is nothing where there is none", () => {
    expect(incidentPage(db, { id: 999_999, nowMs: AT, root: process.cwd() })).toBeNull();
  });
});

describe("Watch", () => {
  const watch = (atMs = AT) => watchPage(db, { atMs, volumeOf: "" });
  it("says that all is well, on how much", () => {
    const page = watch();
    expect(page.componentCount).toBe(1);
    expect(page.services).toMatchObject([{ uid: "gate", severity: "cleared", figure: null }]);
    expect(page.incidents).toEqual([]);
    expect(page.changes).toEqual([]);
  });
  it("puts the worst service first and says since when", () => {
    saveService(db, { uid: "yard", name: "Yard", purpose: "", owner: "", entries: [] }, AT - 30 * DAY_MS);
    writeHealth(db, "service", serviceId, "major", "h-1: memory", AT - HOUR_MS);
    const page = watch();
    expect(page.services.map((one) => one.name)).toEqual(["Gate", "Yard"]);
    expect(page.services[0]).toMatchObject({ severity: "major", reason: "h-1: memory", sinceMs: AT - HOUR_MS });
    expect(watch(AT - 2 * HOUR_MS).services.map((one) => one.severity)).toEqual(["cleared", "cleared"]);
  });
  it("shows a figure as the present only while it is fresh", () => {
    const writer = new SampleWriter(db);
    const series = writer.series({ componentId: null, serviceId }, "moves", "", "1/h", AT - HOUR_MS);
    for (let atMs = AT - HOUR_MS; atMs <= AT; atMs += 5 * MINUTE_MS) writer.record(series, atMs, 60);
    writer.commit("tick", () => undefined);
    expect(watch().services[0]?.figure?.value).toBe(60);
    expect(watch(AT + HOUR_MS).services[0]?.figure?.value).toBeNull();
  });
  it("lists what is open with who took it, and what changed lately", () => {
    const id = incident("a", AT - HOUR_MS, 1);
    takeIncident(db, id, "Anna", AT - MINUTE_MS);
    insertChange(db, { atMs: AT - 8 * DAY_MS, kind: "setting", componentId: null, summary: "old", by: "x" });
    insertChange(db, { atMs: AT - DAY_MS, kind: "setting", componentId: null, summary: "new", by: "x" });
    const page = watch();
    expect(page.openCount).toBe(1);
    expect(page.incidents).toMatchObject([{ id, title: "a", takenBy: "Anna" }]);
    expect(page.changes.map((change) => change.summary)).toEqual(["new"]);
  });
  it("draws the ribbon from alarms, incidents and changes of its span only", () => {
    incident("a", AT - HOUR_MS, 2);
    incident("b", AT - 3 * DAY_MS, 1);
    db.prepare("UPDATE incident SET resolved_at = ? WHERE title = 'b'").run(AT - 2 * DAY_MS);
    const drawn = ribbon(db, { fromMs: AT - DAY_MS, toMs: AT, steps: 24 });
    expect(drawn.incidents).toHaveLength(1);
    expect(drawn.alarms.reduce((sum, one) => sum + one.count, 0)).toBe(2);
    expect(drawn.openCount).toBe(1);
  });
});

describe("Discover", () => {
  const source = (name = "Room") =>
    insertSource(
      db,
      {
        kind: "range",
        name,
        site: "Room",
        settings: { ranges: "127.0.0.1-9", ports: "22", snmpPort: 161 },
        pollSeconds: 60,
      },
      "sealed",
      AT - DAY_MS,
    );
  it("shows each source with its last sweep and what that found", () => {
    const id = source();
    source("Yard");
    const sweep = insertSweep(db, id, "Anna", 9, AT - HOUR_MS);
    updateSweep(db, sweep, { tried: 9, answering: 2, recognised: 1, failed: 1 });
    insertFinding(db, sweep, { outcome: "new", component_id: host, address: "127.0.0.1", title: "h-1", detail: "" });
    insertFinding(db, sweep, { outcome: "failed", component_id: null, address: "127.0.0.2", title: "?", detail: "no" });
    endSweep(db, sweep, "done", null, AT - HOUR_MS + 1000);
    const page = discoverPage(db, { atMs: AT });
    expect(page.sources.map((one) => [one.name, one.addresses, one.last?.id ?? null])).toEqual([
      ["Room", 9, sweep],
      ["Yard", 9, null],
    ]);
    expect(page.sweeps[0]?.found).toEqual({ new: 1, failed: 1 });
    expect(JSON.stringify(page)).not.toContain("sealed");
    expect(discoverPage(db, { atMs: AT - 2 * HOUR_MS }).sweeps).toEqual([]);
  });
  it("shows a sweep's findings by what came of them", () => {
    const sweep = insertSweep(db, source(), "Anna", 9, AT);
    for (const outcome of ["new", "new", "failed"] as const)
      insertFinding(db, sweep, { outcome, component_id: null, address: "", title: outcome, detail: "" });
    expect(sweepPage(db, { id: sweep, outcome: "new", page: 0 })?.findings).toHaveLength(2);
    expect(sweepPage(db, { id: sweep, outcome: "new", page: 1 })?.findings).toEqual([]);
    expect(sweepPage(db, { id: 999_999, outcome: "", page: 0 })).toBeNull();
  });
  it("hands forms over as plain data, which can go from thread to thread", () => {
    const { forms } = sourcePage(db, { id: null } as unknown as Parameters<typeof sourcePage>[1]) as {
      forms: unknown[];
    };
    expect(forms.length).toBeGreaterThan(0);
    expect(structuredClone(forms)).toEqual(forms);
  });
  it("never hands a credential to a form", () => {
    const page = sourcePage(db, { id: source() });
    expect(JSON.stringify(page)).not.toContain("sealed");
    expect(JSON.stringify(page)).toContain("127.0.0.1-9");
  });
});

describe("the map without services", () => {
  it("shows the components, in layers", () => {
    db.exec("DELETE FROM service");
    add("q-1", "Quay");
    add("q-2", "Quay");
    const map = mapPage(db, { atMs: AT } as Parameters<typeof mapPage>[1]);
    expect(map.cards.map((card) => card.name).sort()).toEqual(["h-1", "q-1", "q-2"]);
  });
});
