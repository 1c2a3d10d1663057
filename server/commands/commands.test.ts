import type { LiveEvent } from "../events";
import { beforeEach, describe, expect, it } from "vitest";
import { listRules, offerRule } from "../store/alarms";
import { auditIn } from "../store/audit";
import { changesIn } from "../store/changes";
import type { Db } from "../store/database";
import { openIncident } from "../store/incidents";
import { savedQueries } from "../store/saved-queries";
import { useStore } from "../../tests/store";
import { RIGHTS } from "#core/people/rights";
import { itself, type Principal } from "../people/principal";
import type { CommandPorts } from "./ports";
import { commands, execute } from "./registry";

let db: Db;
let events: string[];
let ports: CommandPorts;
useStore((made) => (db = made));
const AT = 1_000_000;
const ANNA: Principal = { ...itself("Anna", "test", RIGHTS), address: "192.0.2.7" };
const audit = () => auditIn(db, { fromMs: 0, toMs: AT }, 100, 0);
beforeEach(() => {
  db.exec(
    `DROP TRIGGER IF EXISTS audit_kept; DELETE FROM audit; DELETE FROM rule; DELETE FROM evidence; DELETE FROM incident; DELETE FROM saved_query; DELETE
     FROM change`,
  );
  events = [];
  ports = {
    db,
    now: () => AT,
    emit: (event: LiveEvent) => events.push(event.topic),
    onRules: () => events.push("rules"),
    onQuiet: () => events.push("quiet"),
    drills: undefined,
  } as unknown as CommandPorts;
});

describe("the one way to change anything", () => {
  it("does it, and puts on record who did what by which way", async () => {
    await execute(ports, ANNA, "query.save", { name: "Errors", sql: "SELECT 1" });
    expect(savedQueries(db)).toMatchObject([{ name: "Errors", madeBy: "Anna" }]);
    expect(audit()).toMatchObject([
      {
        at: AT,
        who: "Anna",
        via: "test",
        address: "192.0.2.7",
        command: "query.save",
        summary: "Saved query “Errors”",
        outcome: "done",
      },
    ]);
  });
  it("names on record what was removed", async () => {
    await execute(ports, ANNA, "query.save", { name: "Errors", sql: "SELECT 1" });
    await execute(ports, ANNA, "query.remove", { id: savedQueries(db)[0]?.id });
    expect(audit()[0]).toMatchObject({ summary: "Removed query “Errors”", outcome: "done" });
  });
  it("refuses who has not the right, and records that too", async () => {
    const ben: Principal = { ...ANNA, name: "Ben", rights: ["read", "respond"] };
    await expect(execute(ports, ben, "retention.save", { rawMs: 1 })).rejects.toThrow(
      "Ben does not have the right to change how the estate is watched.",
    );
    expect(audit()).toMatchObject([{ who: "Ben", command: "retention.save", outcome: "refused" }]);
  });
  it("refuses input that does not fit, before anything is done", async () => {
    await expect(execute(ports, ANNA, "query.save", { name: " ", sql: "SELECT 1" })).rejects.toThrow(
      "Give the query a name.",
    );
    await expect(execute(ports, ANNA, "query.save", "nonsense")).rejects.toThrow();
    expect(savedQueries(db)).toEqual([]);
    expect(audit().map((row) => row.outcome)).toEqual(["refused", "refused"]);
  });
  it("knows no command but its own", async () => {
    await expect(execute(ports, ANNA, "toString" as never, {})).rejects.toThrow("There is no such command.");
  });
  it("has a right and a line of record for every command", () => {
    for (const [name, one] of Object.entries(commands)) {
      if (typeof one.right === "string") expect(RIGHTS, name).toContain(one.right);
      // What is one's own takes less than what is another's.
      else expect(["contact.save", "session.end", "run.dry", "run.start"]).toContain(name);
      expect(name).toMatch(/^[a-z-]+\.[a-z]+$/);
    }
  });
  it("records a refusal of the command itself with its reason", async () => {
    await expect(execute(ports, ANNA, "incident.take", { id: 77 })).rejects.toThrow("That incident does not exist.");
    expect(audit()).toMatchObject([
      { summary: "Took incident 77", outcome: "refused", reason: "That incident does not exist." },
    ]);
  });
});

describe("evidence", () => {
  const pin = (incidentId: number | null) =>
    execute(ports, ANNA, "evidence.pin", {
      incidentId,
      kind: "chart",
      title: "CPU",
      detail: "",
      address: "/estate/1",
      fromMs: 0,
      toMs: 1,
    });
  it("is pinned, attached and removed by name, each on the incident's own record", async () => {
    const incident = openIncident(db, { subject: "component:1", title: "x", severity: "major" }, AT);
    await pin(null);
    expect(await execute(ports, ANNA, "evidence.attach", { incidentId: incident })).toBe(1);
    const id = await pin(incident);
    await execute(ports, ANNA, "evidence.remove", { id });
    expect(audit().map((row) => row.summary)).toEqual([
      "Removed evidence “CPU”",
      `Pinned “CPU” to incident ${incident}`,
      `Attached 1 pinned views to incident ${incident}`,
      "Pinned “CPU”",
    ]);
    await expect(execute(ports, ANNA, "evidence.remove", { id })).rejects.toThrow("not there any more");
  });
  it("leads to addresses inside the application only", async () => {
    const bad = {
      incidentId: null,
      kind: "chart",
      title: "CPU",
      detail: "",
      address: "//elsewhere.example/",
      fromMs: 0,
      toMs: 1,
    };
    await expect(execute(ports, ANNA, "evidence.pin", bad)).rejects.toThrow();
  });
});

describe("rules", () => {
  const fields = {
    name: "Busy",
    type: "threshold",
    scope: "kind:host.*",
    metric: "cpu.used",
    direction: "above",
    critical: "90",
    samples: "2",
    hysteresis: "4",
    memoryMinutes: "40",
    enabled: "on",
  };
  it("are added and changed, take effect at once, and are a change that can be seen", async () => {
    const id = await execute(ports, ANNA, "rule.save", { fields });
    await execute(ports, ANNA, "rule.save", { id, fields: { ...fields, critical: "95" } });
    expect(listRules(db)).toMatchObject([{ name: "Busy", settings: { critical: 95 }, enabled: true }]);
    expect(events).toEqual(["rules", "rules"]);
    expect(changesIn(db, 0, AT).map((change) => [change.summary, change.by_whom])).toEqual([
      ["Rule “Busy” was changed", "Anna"],
      ["Rule “Busy” was added", "Anna"],
    ]);
  });
  it("are switched off and removed, and a kit does not put in again what somebody took out", async () => {
    const rule = {
      name: "Of a kit",
      type: "threshold",
      settings: {},
      scope: { subject: "component" as const, kind: "*" },
      enabled: true,
    };
    offerRule(db, rule);
    const id = listRules(db)[0]?.id as number;
    await execute(ports, ANNA, "rule.switch", { id, on: false });
    expect(listRules(db)[0]?.enabled).toBe(false);
    await execute(ports, ANNA, "rule.remove", { id });
    offerRule(db, rule);
    expect(listRules(db)).toEqual([]);
    await expect(execute(ports, ANNA, "rule.remove", { id })).rejects.toThrow("That rule does not exist.");
    expect(changesIn(db, 0, AT).map((change) => change.summary)).toEqual([
      "Rule “Of a kit” was removed",
      "Rule “Of a kit” was switched off",
    ]);
  });
  it("have names of their own, and say field by field what is wrong", async () => {
    offerRule(db, {
      name: "Busy",
      type: "threshold",
      settings: {},
      scope: { subject: "component", kind: "*" },
      enabled: true,
    });
    await expect(execute(ports, ANNA, "rule.save", { fields })).rejects.toThrow(/called “Busy” already/);
    const wrong = execute(ports, ANNA, "rule.save", {
      fields: { ...fields, name: "New", critical: "many", samples: "0" },
    });
    await expect(wrong).rejects.toMatchObject({
      fields: { critical: "The critical limit is a number.", samples: "Take at least one sample." },
    });
  });
});
