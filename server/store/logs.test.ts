import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HALF_HOUR_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { logPage, logsPage, type LogQuestion } from "../pages/logs";
import { migrate, openStore, type Db } from "./database";
import { insertComponent } from "./estate";
import { LogWriter, type NewLog } from "./log-writer";
import {
  IDS_OF_WINDOW,
  latestLogs,
  logCount,
  logNeighbours,
  patternsOf,
  readSearch,
  searchLogs,
  type LogFilter,
} from "./logs";
import { talliesIn } from "./log-tallies";
import { insertResource } from "./resources";
import { insertSource } from "./sources";

const AT = Date.parse("2026-03-17T00:00:00Z");
let folder: string;
let db: Db;
let writer: LogWriter;
let web: number;
let other: number;
let host: number;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  const source = insertSource(
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
  const add = (name: string, kind: string, hostId: number | null) =>
    insertComponent(
      db,
      { kind, name, site: "Room", sourceId: source, hostId, address: null, reason: "", keys: [`k:${name}`], facts: {} },
      0,
    );
  host = add("h1", "host.linux", null);
  const webProcess = add("web @ h1", "app.web", host);
  web = insertResource(db, '{"service.name":"web"}', { componentId: webProcess, why: "test" }, AT);
  other = insertResource(db, '{"service.name":"stray","host.name":"x"}', { componentId: null, why: "nobody fits" }, AT);
  writer = new LogWriter(db);
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

const record = (atMs: number, body: string, more: Partial<NewLog> = {}): NewLog => ({
  atMs,
  severity: 9,
  resourceId: web,
  body,
  attributes: null,
  traceId: null,
  spanId: null,
  ...more,
});
const write = (...records: NewLog[]) => db.transaction(() => writer.write(records))();
const everything: LogFilter = { fromMs: 0, toMs: 1e15, words: [], without: [], leastSeverity: 0 };
const find = (text: string, more: Partial<LogFilter> = {}) =>
  searchLogs(db, { ...everything, ...readSearch(text), ...more }, null, 1000).rows.map((row) => row.body);
const page = (more: Partial<LogQuestion> = {}) =>
  logsPage(db, {
    fromMs: AT,
    toMs: AT + DAY_MS,
    text: "",
    leastSeverity: 0,
    component: null,
    service: "",
    pattern: null,
    traceId: "",
    onlyNew: false,
    before: null,
    ...more,
  });

describe("searching", () => {
  it("reads what was typed", () => {
    expect(readSearch('slot "given back" -truck  GATE -"no room"')).toEqual({
      words: ["slot", "given back", "gate"],
      without: ["truck", "no room"],
    });
    expect(readSearch(" - ")).toEqual({ words: [], without: [] });
  });

  it("finds the starts of words, phrases as they stand, and leaves out what is not wanted", () => {
    write(
      record(AT, "Slot 7 of gate 3 given back by Quill"),
      record(AT + 1, "Slot 8 of gate 3 taken by Wick"),
      record(AT + 2, "connection to 198.51.100.7:5432 refused"),
      record(AT + 3, "Grün übergeben, O'Neil"),
    );
    expect(find("slo gat")).toHaveLength(2);
    expect(find('"given back"')).toEqual(["Slot 7 of gate 3 given back by Quill"]);
    expect(find("slot -wick")).toEqual(["Slot 7 of gate 3 given back by Quill"]);
    expect(find("198.51.100.7:5432")).toEqual(["connection to 198.51.100.7:5432 refused"]);
    expect(find("grun")).toEqual(["Grün übergeben, O'Neil"]);
    expect(find("lot")).toEqual([]);
    for (const odd of ['"', "'", "*", "(", "AND OR NOT", "a* OR b", "NEAR(x)", "body:x", "\u0000", "-"])
      expect(() => find(odd)).not.toThrow();
  });

  it("reads of the blocks only those that end in the window or later", () => {
    const plan = db.prepare(`EXPLAIN QUERY PLAN ${IDS_OF_WINDOW}`).all(0, 1) as { detail: string }[];
    expect(plan.map((one) => one.detail).join()).toContain(
      "SEARCH log_block USING COVERING INDEX log_block_time (max_at>?)",
    );
  });

  it("finds just what reading everything would find", () => {
    const word = fc.constantFrom("slot", "gate", "truck", "berth", "slots", "gateway", "x7", "9");
    const line = fc.array(word, { minLength: 1, maxLength: 6 }).map((words) => words.join(" "));
    fc.assert(
      fc.property(
        fc.array(fc.record({ body: line, minute: fc.nat({ max: 4000 }), severity: fc.constantFrom(5, 9, 13, 17) }), {
          minLength: 1,
          maxLength: 60,
        }),
        word,
        fc.option(word),
        fc.constantFrom(0, 9, 17),
        fc.tuple(fc.nat({ max: 4000 }), fc.nat({ max: 4000 })),
        (lines, wanted, unwanted, leastSeverity, [a, b]) => {
          db.exec("DELETE FROM log; DELETE FROM log_block; DELETE FROM log_tally; DELETE FROM log_tally_half");
          for (const { day } of db.prepare("SELECT day FROM log_day").all() as { day: number }[])
            db.exec(`DROP TABLE log_text_${day}`);
          db.exec("DELETE FROM log_day; DELETE FROM log_pattern");
          writer = new LogWriter(db);
          for (let from = 0; from < lines.length; from += 7)
            write(
              ...lines
                .slice(from, from + 7)
                .map((one) => record(AT + one.minute * MINUTE_MS, one.body, { severity: one.severity })),
            );
          const fromMs = AT + Math.min(a, b) * MINUTE_MS;
          const toMs = AT + Math.max(a, b) * MINUTE_MS;
          const expected = lines
            .filter(
              (one) =>
                one.severity >= leastSeverity &&
                AT + one.minute * MINUTE_MS >= fromMs &&
                AT + one.minute * MINUTE_MS <= toMs,
            )
            .filter(
              (one) =>
                one.body.split(" ").some((each) => each.startsWith(wanted)) &&
                !(unwanted !== null && one.body.includes(unwanted)),
            )
            .map((one) => one.body);
          const found = searchLogs(
            db,
            { fromMs, toMs, words: [wanted], without: unwanted === null ? [] : [unwanted], leastSeverity },
            null,
            1000,
          ).rows.map((row) => row.body);
          expect(found.sort()).toEqual(expected.sort());
          for (const stepMs of [MINUTE_MS, HALF_HOUR_MS])
            expect([...talliesIn(db, 0, 1e15, stepMs)].reduce((sum, row) => sum + row.count, 0)).toBe(lines.length);
        },
      ),
      { numRuns: 40 },
    );
  });

  it("goes on page by page without losing or repeating any, over the days", () => {
    for (let part = 0; part < 30; part++)
      write(
        ...Array.from({ length: 20 }, (_, index) =>
          record(AT + (part * 20 + index) * 7 * MINUTE_MS, `event ${part * 20 + index} here`),
        ),
      );
    for (const text of ["", "event"]) {
      const seen: string[] = [];
      let before: number | null = null;
      for (let pages = 0; pages < 100; pages++) {
        const { rows, next } = searchLogs(db, { ...everything, ...readSearch(text) }, before, 37);
        seen.push(...rows.map((row) => row.body));
        if (next === null) break;
        before = next;
      }
      expect(seen).toHaveLength(600);
      expect(new Set(seen).size).toBe(600);
      expect(seen[0]).toBe("event 599 here");
    }
  });
});

describe("what a page of logs shows", () => {
  it("counts by severity, sender and pattern, and tells of patterns new this week", () => {
    write(record(AT - 2 * DAY_MS, "slot 1 taken"), record(AT - 9 * DAY_MS, "rare 1 thing"));
    write(
      ...Array.from({ length: 10 }, (_, index) => record(AT + index * HOUR_MS, `slot ${index} taken`)),
      record(AT + HOUR_MS, "rare 2 thing", { severity: 17 }),
      record(AT + HOUR_MS, "stray words", { resourceId: other }),
    );
    const shown = page();
    expect([shown.total, shown.patternCount, shown.newPatterns]).toEqual([12, 3, 2]);
    expect(shown.levels.filter((one) => one.count).map((one) => [one.level, one.count])).toEqual([
      ["error", 1],
      ["info", 11],
    ]);
    expect(shown.components.map((one) => [one.name, one.count])).toEqual([
      ["web @ h1", 11],
      ["stray @ x", 1],
    ]);
    expect(
      shown.bars.reduce((sum, bar) => sum + Object.values(bar.counts).reduce((all, count) => all + count, 0), 0),
    ).toBe(12);
    const fresh = page({ onlyNew: true });
    expect(fresh.patterns.map((one) => [one.text, one.isNew])).toEqual(
      expect.arrayContaining([
        ["rare <*> thing", true],
        ["stray words", true],
      ]),
    );
    expect(fresh.total).toBe(2);
    expect(fresh.rows.map((row) => row.body).sort()).toEqual(["rare 2 thing", "stray words"]);
  });

  it("narrows to a component, a host with its processes, a severity, a pattern, a trace", () => {
    const traceId = "ab".repeat(16);
    write(
      record(AT, "from the process", { traceId, spanId: "cd".repeat(8) }),
      record(AT, "from nobody", { resourceId: other, severity: 13 }),
    );
    expect(page({ component: host }).total).toBe(1);
    expect(page({ leastSeverity: 13 }).rows.map((row) => row.sender)).toEqual(["stray @ x"]);
    const pattern = page().patterns.find((one) => one.text === "from nobody")?.id ?? 0;
    expect(page({ pattern }).total).toBe(1);
    expect(page({ pattern }).pattern).toBe("from nobody");
    expect(page({ traceId }).rows.map((row) => row.body)).toEqual(["from the process"]);
    expect(page({ service: "none" }).total).toBe(0);
  });

  it("opens a record with what its sender said around it", () => {
    write(
      ...Array.from({ length: 30 }, (_, index) =>
        record(AT + index * 1000, `line ${index}`, {
          resourceId: index % 2 ? web : other,
          attributes: '{"a":1,"b":"x"}',
        }),
      ),
    );
    const row = searchLogs(db, { ...everything, words: ["15"] }, null, 1).rows[0];
    if (!row) throw new Error("not found");
    expect(logNeighbours(db, row, 2).map((one) => one.body)).toEqual([
      "line 11",
      "line 13",
      "line 15",
      "line 17",
      "line 19",
    ]);
    expect(logPage(db, { id: row.id })).toMatchObject({
      body: "line 15",
      sender: "web @ h1",
      matchedBy: "test",
      attributes: [
        { name: "a", value: "1" },
        { name: "b", value: "x" },
      ],
      pattern: { text: "line <*>", count: 30 },
    });
    expect(logPage(db, { id: 1e6 })).toBeNull();
    expect(latestLogs(db, new Set([web]), AT, AT + DAY_MS, 3).map((one) => one.body)).toEqual([
      "line 29",
      "line 27",
      "line 25",
    ]);
  });
});

describe("keeping", () => {
  it("goes on after a restart with the same patterns and rising numbers", () => {
    write(record(AT, "slot 1 taken"));
    writer = new LogWriter(db);
    write(record(AT + 1, "slot 2 taken"), record(AT + 2, "slot two taken"));
    const rows = searchLogs(db, everything, null, 10).rows;
    expect(rows.map((row) => row.id)).toEqual([3, 2, 1]);
    expect(new Set(rows.map((row) => row.pattern_id)).size).toBe(1);
    expect(patternsOf(db, [rows[0]?.pattern_id ?? 0])).toMatchObject([
      { text: "slot <*> taken", count: 3, first_at: AT, last_at: AT + 2 },
    ]);
  });

  it("forgets what is old, its words and counts too, and nothing else", () => {
    for (let day = 0; day < 5; day++)
      write(
        ...Array.from({ length: 50 }, (_, index) => record(AT + day * DAY_MS + index * MINUTE_MS, `day ${day} line`)),
      );
    for (let pass = 0; pass < 12; pass++) db.transaction(() => writer.forget(AT + 3 * DAY_MS, 20))();
    expect(find("line")).toHaveLength(100);
    expect(searchLogs(db, everything, null, 1000).rows).toHaveLength(100);
    expect(
      db
        .prepare("SELECT name FROM sqlite_master WHERE name GLOB 'log_text_[0-9]*' AND sql LIKE 'CREATE VIRTUAL%'")
        .all(),
    ).toHaveLength(2);
    expect(logCount(db)).toBe(100);
    write(record(AT + 4 * DAY_MS, "after it"));
    expect(find("after")).toEqual(["after it"]);
  });

  it("keeps nothing of a write that failed", () => {
    expect(() =>
      db.transaction(() => {
        writer.write([record(AT, "half done")]);
        throw new Error("no");
      })(),
    ).toThrow("no");
    writer = new LogWriter(db);
    write(record(AT, "whole"));
    expect(searchLogs(db, everything, null, 10).rows.map((row) => [row.id, row.body])).toEqual([[1, "whole"]]);
    expect(find("half")).toEqual([]);
  });
});
