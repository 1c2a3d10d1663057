import { mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { choreProblems } from "#core/repair/chore";
import { readRule } from "#core/detection/rule";
import { readKits } from "./kits/kits";
import { setupSchema } from "./settings";
import { readSource } from "./sources/input";
import { migrate, openStore, PersonError, storeProblem, unforced, type Db } from "./store/database";
import { insertComponent } from "./store/estate";
import { listEstate } from "./store/estate-list";
import { writeFact, factsAt } from "./store/facts";
import { insertSource } from "./store/sources";
import { healthAt, writeHealth } from "./store/services";
import { insertSeries, lastSample, readSamples, writeChunk } from "./store/signals";

let folder: string;
let db: Db;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});
const aSource = () =>
  insertSource(
    db,
    {
      kind: "range",
      name: "s",
      site: "Room",
      settings: { ranges: "127.0.0.1", ports: "", snmpPort: 161 },
      pollSeconds: 60,
    },
    "x",
    0,
  );
const aComponent = (name: string, address: string | null = null, source = 1) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "Room",
      sourceId: source,
      hostId: null,
      address,
      reason: "",
      keys: [`name:${name}`],
      facts: {},
    },
    1000,
  );

describe("the store", () => {
  it("is migrated once, and refuses to be opened by an older version", () => {
    migrate(db, join(process.cwd(), "server", "store", "migrations"));
    db.pragma("user_version = 99");
    expect(() => migrate(db, join(process.cwd(), "server", "store", "migrations"))).toThrow(PersonError);
  });

  it("keeps facts with the time they held", () => {
    aSource();
    const id = aComponent("a");
    writeFact(db, id, "software", "1", 1000);
    writeFact(db, id, "software", "2", 2000);
    writeFact(db, id, "software", undefined, 3000);
    const at = (instant: number) => factsAt(db, id, instant).map((fact) => fact.value);
    expect([at(999), at(1000), at(1999), at(2000), at(3000)]).toEqual([[], ["1"], ["1"], ["2"], []]);
  });

  it("keeps health with the time it held", () => {
    writeHealth(db, "component", 1, "critical", "x", 1000);
    expect(writeHealth(db, "component", 1, "critical", "x", 1500)).toBe(false);
    writeHealth(db, "component", 1, "cleared", "", 2000);
    expect(healthAt(db, "component", 999).size).toBe(0);
    expect(healthAt(db, "component", 1999).get(1)?.severity).toBe("critical");
    expect(healthAt(db, "component", 2000).size).toBe(0);
  });

  it("reads samples across chunks, and the last one before an instant", () => {
    aSource();
    const series = insertSeries(db, { componentId: aComponent("a"), serviceId: null }, "cpu.used", "", "%", "gauge", 0);
    for (let part = 0; part < 4; part++) {
      const numbers = Float64Array.from({ length: 10 }, (_, index) => part * 10 + index);
      writeChunk(db, series, { times: numbers.map((number) => 1000 * (number + 1)), values: numbers }, 10);
    }
    expect([...readSamples(db, series, 9500, 12_500).values]).toEqual([9, 10, 11]);
    expect([...readSamples(db, series, 0, 1e9).values]).toHaveLength(40);
    expect(readSamples(db, series, 50_000, 60_000).times).toHaveLength(0);
    expect(lastSample(db, series, 15_500, 60_000)).toEqual({ atMs: 15_000, value: 14 });
    expect(lastSample(db, series, 99_000, 60_000)).toEqual({ atMs: 40_000, value: 39 });
    expect(lastSample(db, series, 200_000, 60_000)).toBeUndefined();
    expect(lastSample(db, series, 500, 60_000)).toBeUndefined();
  });

  it("sorts, filters and pages the estate", () => {
    aSource();
    for (const [name, address] of [
      ["b", "127.0.0.10"],
      ["a", "127.0.0.9"],
      ["c_1", "127.0.0.100"],
    ] as const)
      aComponent(name, address);
    const list = (changes: object) =>
      listEstate(db, {
        atMs: 5000,
        search: "",
        kind: "",
        site: "",
        health: "",
        sort: "name",
        descending: false,
        page: 0,
        pageSize: 2,
        ...changes,
      });
    expect(list({}).rows.map((row) => row.name)).toEqual(["a", "b"]);
    expect(list({ page: 1 }).rows.map((row) => row.name)).toEqual(["c_1"]);
    expect(list({ sort: "address", pageSize: 9 }).rows.map((row) => row.name)).toEqual(["a", "b", "c_1"]);
    // What a person types is text, not a pattern.
    expect(list({ search: "_" })).toMatchObject({ total: 1 });
    expect(list({ search: "%" })).toMatchObject({ total: 0 });
    expect(list({ atMs: 500 })).toMatchObject({ total: 0 });
    expect(list({ kind: "host.*", health: "unwell" })).toMatchObject({ total: 0 });
  });

  it("forces the disk with every commit, and only then is something safe from a loss of power", async () => {
    const folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
    const db = openStore(join(folder, "store.db"), "writer");
    const FULL = 2;
    const level = () => db.pragma("synchronous", { simple: true });
    expect(level()).toBe(FULL);
    await unforced(db, async () => expect(level()).toBeLessThan(FULL));
    expect(level()).toBe(FULL);
    await expect(unforced(db, () => Promise.reject(new Error("cut off")))).rejects.toThrow("cut off");
    expect(level()).toBe(FULL);
    db.close();
    rmSync(folder, { recursive: true, force: true });
  });
  it("turns trouble with the disk into sentences, other errors not", () => {
    expect(storeProblem(Object.assign(new Error("x"), { code: "SQLITE_FULL" }))).toMatch(/The disk is full/);
    expect(storeProblem(Object.assign(new Error("x"), { code: "SQLITE_CORRUPT" }))).toMatch(/damaged/);
    expect(storeProblem(Object.assign(new Error("x"), { code: "SQLITE_BUSY_SNAPSHOT" }))).toMatch(/Another program/);
    expect(storeProblem(new Error("x"))).toBeUndefined();
    // What a time-out carries as its code is a number.
    expect(storeProblem(Object.assign(new Error("x"), { code: 23 }))).toBeUndefined();
  });
});

describe("what is shipped", () => {
  it("has kits that can be read, with notes for each of their rules' common metrics", () => {
    const kits = readKits(process.cwd());
    expect(kits.map((kit) => kit.kind).sort()).toEqual([
      "*",
      "*",
      "*",
      "*",
      "*",
      "app.*",
      "app.container",
      "app.function",
      "app.process",
      "app.web",
      "app.workload",
      "db.*",
      "db.cache",
      "host.*",
      "host.*",
      "host.hypervisor",
      "net.*",
      "platform.*",
      "queue.*",
      "storage.volume",
    ]);
    const whole = ["host.*", "app.workload", "platform.*", "storage.volume", "app.function"];
    for (const kit of kits.filter((one) => whole.includes(one.kind)))
      for (const rule of kit.rules)
        expect(
          kit.notes.map((note) => note.metric),
          rule.name,
        ).toContain(rule.metric);
    // What chores say is right for their runbooks.
    const runbooks = new Map(kits.flatMap((kit) => kit.runbooks.map((one) => [one.uid, one])));
    for (const chore of kits.flatMap((kit) => kit.chores))
      expect(
        choreProblems({ ...chore, level: "watch" }, runbooks.get(chore.runbook)?.parameters ?? []),
        chore.name,
      ).toEqual({});
    expect(kits.flatMap((kit) => kit.chores)).toHaveLength(4);
    // Rules of other detectors are read by the form that people use.
    for (const kit of kits)
      for (const { name, type, scope = `kind:${kit.kind}`, settings } of kit.judged)
        expect(readRule({ name, type, scope, enabled: true, ...settings }), name).toMatchObject({ ok: true });
  });
  it("has a set-up for the demonstration estate that can be read", () => {
    expect(
      setupSchema.parse(JSON.parse(readFileSync(join(process.cwd(), "scenarios", "halvane-setup.json"), "utf8")))
        .services,
    ).toHaveLength(8);
  });
});

describe("fields of a source", () => {
  const fields = {
    name: "n",
    site: "s",
    ranges: "127.0.0.1",
    ports: "22",
    snmpPort: "161",
    community: "c",
    pollSeconds: "60",
  };
  const problem = (changes: object) => {
    const read = readSource({ ...fields, ...changes });
    return read.ok ? "" : Object.values(read.fields).join("; ");
  };
  it("take numbers as a form sends them", () =>
    expect(readSource(fields)).toMatchObject({
      ok: true,
      source: { kind: "range", settings: { snmpPort: 161 }, credential: "c", pollSeconds: 60 },
    }));
  it.each([
    [{ name: "" }, "Give the source a name."],
    [{ ranges: "10.0.0.0/12" }, "at most 65,536"],
    [{ ports: "http" }, "is not a TCP port"],
    [{ snmpPort: "many" }, "The SNMP port is a number."],
    [{ pollSeconds: "1" }, "Poll at most every 5 seconds."],
  ])("say what is wrong with %o", (changes, sentence) => expect(problem(changes)).toContain(sentence));
});
