import { readFileSync } from "node:fs";
import { beforeEach, describe, expect, it } from "vitest";
import { useStore } from "../../tests/store";
import { kitPage } from "../pages/kits";
import { notesFor } from "../pages/incident/notes";
import { kitSchema, type Kit } from "../settings";
import { listRules, removeRule, ruleNamed, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { policyNamed, savePolicy } from "../store/policies";
import { kitAsHere, readKitFile, takeKitFile } from "./file";
import { offerKits, readKits } from "./kits";
import { offerPart, partsOf } from "./parts";

const AT = Date.UTC(2026, 2, 17, 10);
const root = process.cwd();
let db: Db;
useStore((made) => (db = made));
beforeEach(() =>
  db.exec(
    "DELETE FROM rule; DELETE FROM kit_offer; DELETE FROM policy; DELETE FROM meta; DELETE FROM own_note; DELETE FROM change",
  ),
);

const limits = (warning: number) => ({
  name: "Disk",
  metric: "disk.used",
  direction: "above",
  limits: [{ severity: "warning", value: warning }],
  samples: 1,
  hysteresis: 2,
  memoryMinutes: 40,
});
const policy = (leastPercent: number) => ({
  name: "Rotate",
  level: "watch",
  causeKinds: ["host.*"],
  runbook: "rotate-logs",
  alarms: ["disk.used"],
  leastPercent,
});
const kit = (given: object): Kit => kitSchema.parse({ kind: "host.*", title: "Hosts", rules: [], notes: [], ...given });
const offer = (given: object) => {
  for (const one of partsOf(kit(given))) offerPart(db, one, AT);
};
const warning = () => (ruleNamed(db, "Disk")?.settings as { warning?: number } | undefined)?.warning;
const told = () => (db.prepare("SELECT summary FROM change").pluck().all() as string[]).join();

describe("what a kit holds", () => {
  it("is put in once, and follows the kit while nobody changed it", () => {
    offer({ rules: [limits(80)] });
    expect(warning()).toBe(80);
    offer({ rules: [limits(85)] });
    expect(warning()).toBe(85);
    expect(told()).toContain("Rule “Disk” follows its kit");
    // Whether it is on is people's own.
    const rule = ruleNamed(db, "Disk");
    saveRule(db, rule?.id, { ...(rule as NonNullable<typeof rule>), enabled: false });
    offer({ rules: [limits(90)] });
    expect(ruleNamed(db, "Disk")).toMatchObject({ enabled: false, settings: { warning: 90 } });
  });

  it("is left to people once they changed or removed it", () => {
    offer({ rules: [limits(80)] });
    const rule = ruleNamed(db, "Disk") as NonNullable<ReturnType<typeof ruleNamed>>;
    saveRule(db, rule.id, { ...rule, settings: { ...(rule.settings as object), warning: 70 } });
    offer({ rules: [limits(85)] });
    expect(warning()).toBe(70);
    removeRule(db, rule.id);
    offer({ rules: [limits(90)] });
    expect(listRules(db)).toEqual([]);
  });

  it("of a store of the version before is taken for people's own where it differs", () => {
    offer({ rules: [limits(80)] });
    db.exec("DELETE FROM kit_offer");
    offer({ rules: [limits(85)] });
    expect(warning()).toBe(80);
    // And is the same as ever where it does not.
    db.exec("DELETE FROM kit_offer");
    offer({ rules: [limits(80)] });
    offer({ rules: [limits(85)] });
    expect(warning()).toBe(85);
  });

  it("does not follow where people trust it to act", () => {
    offer({ policies: [policy(60)] });
    offer({ policies: [policy(50)] });
    const own = policyNamed(db, "Rotate") as NonNullable<ReturnType<typeof policyNamed>>;
    expect(own.definition.leastPercent).toBe(50);
    savePolicy(db, own.id, { ...own.definition, level: "automatic" }, "Edo", AT);
    offer({ policies: [policy(20)] });
    expect(policyNamed(db, "Rotate")?.definition).toMatchObject({ leastPercent: 50, level: "automatic" });
    // Taken by a person it keeps how far it is trusted.
    partsOf(kit({ policies: [policy(20)] }))[0]?.take(db, "Edo", AT);
    expect(policyNamed(db, "Rotate")?.definition).toMatchObject({ leastPercent: 20, level: "automatic" });
  });
});

describe("the kits that ship", () => {
  const changed = () => {
    offerKits(db, root, AT);
    const rule = ruleNamed(db, "Volume latency") as NonNullable<ReturnType<typeof ruleNamed>>;
    saveRule(db, rule.id, { ...rule, settings: { ...(rule.settings as object), warning: 33 } });
  };

  it("stand as they came, and show what was changed of them", () => {
    offerKits(db, root, AT);
    const standings = readKits(root).flatMap((one) => kitPage(db, { root, uid: one.uid })?.parts ?? []);
    expect(standings.length).toBeGreaterThan(40);
    expect(standings.filter((one) => one.standing !== "same")).toEqual([]);
    changed();
    const part = kitPage(db, { root, uid: "volumes" })?.parts.find((one) => one.name === "Volume latency");
    expect(part).toMatchObject({
      standing: "own",
      differences: [{ field: "settings › warning", before: "25", after: "33" }],
    });
    expect(kitPage(db, { root, uid: "../package" })).toBeNull();
  });

  it("give their file out as it is here, and the file makes another installation the same", () => {
    changed();
    const kits = readKits(root);
    const volumes = kits.find((one) => one.uid === "volumes") as (typeof kits)[number];
    const file = kitAsHere(db, volumes);
    expect(takeKitFile(db, readKitFile(JSON.stringify(file)), kits, "Edo", AT)).toMatchObject({
      added: [],
      changed: [],
    });
    const other = structuredClone(file);
    (other.notes[0] as { lines: string[] }).lines = ["Ask the storage people first."];
    db.exec("DELETE FROM rule; DELETE FROM meta; DELETE FROM kit_offer");
    offerKits(db, root, AT);
    const taken = takeKitFile(db, readKitFile(JSON.stringify(other)), kits, "Edo", AT);
    expect(taken).toEqual({
      added: [],
      changed: ["rule “Volume latency”", "note “A volume answers slowly”"],
      same: 4,
    });
    expect(notesFor(db, "volume.latency", kits)).toEqual([
      { title: "A volume answers slowly", lines: ["Ask the storage people first."], kit: "Edo" },
    ]);
    expect(kitAsHere(db, volumes)).toEqual(other);
    // What a kit notes is about what the kit is for.
    const titles = (kind: string) => notesFor(db, "process.memory", kits, kind).map((note) => note.title);
    expect(titles("db.cache")).toEqual(["A cache holds much more, or much less, than usual"]);
    expect(titles("queue.broker")).toEqual(["A broker keeps more in memory than usual"]);
    expect(titles("app.process")).toEqual([]);
  });
});

describe("a kit's file", () => {
  const problem = (text: string) => {
    try {
      takeKitFile(db, readKitFile(text), [], "Edo", AT);
    } catch (error) {
      return (error as Error).message;
    }
    return undefined;
  };
  it("that cannot be used is refused with what is wrong, and nothing of it is taken in", () => {
    const base = { kind: "host.*", title: "Ours", rules: [], notes: [] };
    expect(problem("{")).toContain("no JSON");
    expect(problem("[]")).toContain("The kit cannot be used");
    expect(problem(JSON.stringify({ ...base, rules: [{ ...limits(80), samples: 0 }] }))).toContain(
      "rules › 0 › samples",
    );
    expect(problem(JSON.stringify({ ...base, judged: [{ name: "X", type: "nonsense", settings: {} }] }))).toContain(
      "There is no such detector",
    );
    const repairs = JSON.parse(readFileSync("kits/repairs.json", "utf8")) as { runbooks: unknown[] };
    expect(problem(JSON.stringify({ ...base, runbooks: repairs.runbooks }))).toContain("approved on their own page");
    expect(listRules(db)).toEqual([]);
  });
  it("with rules of its own makes them", () => {
    expect(problem(JSON.stringify({ kind: "host.*", title: "Ours", rules: [limits(60)], notes: [] }))).toBeUndefined();
    expect(warning()).toBe(60);
  });
});
