import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build } from "esbuild";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { SampleWriter } from "../ingest/sample-writer";
import { insertChange } from "../store/changes";
import { migrate, openStore, type Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { insertSource } from "../store/sources";
import { firstWord, openWorkbench, runWorkbench } from "./open";
import { WORKBENCH_VIEWS } from "./views";
import { Workbench } from "./workbench";

const AT = Date.parse("2026-03-17T10:00:00Z");
let folder: string;
let file: string;
let db: Db;
let bench: Db;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  file = join(folder, "store.db");
  db = openStore(file, "writer");
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
  const id = insertComponent(
    db,
    {
      kind: "host.linux",
      name: "h1",
      site: "Room",
      sourceId: source,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: ["k:h1"],
      facts: {},
    },
    AT,
  );
  insertChange(db, { atMs: AT, kind: "setting", componentId: id, summary: "Something was set", by: "test" });
  const sampleWriter = new SampleWriter(db);
  const series = sampleWriter.series({ componentId: id, serviceId: null }, "memory.used", "", "%", AT);
  for (let minute = 0; minute < 120; minute++) sampleWriter.record(series, AT + minute * 60_000, minute);
  sampleWriter.commit("tick", () => undefined);
  bench = openWorkbench(file);
});
afterAll(() => {
  bench.close();
  db.close();
  rmSync(folder, { recursive: true, force: true });
});

describe("the views", () => {
  it.each(WORKBENCH_VIEWS.map((view) => [view.name, view] as const))("%s has the columns it says", (_name, view) => {
    const call = view.takes ? `${view.name}('memory.used', '2026-03-17', '2026-03-18')` : view.name;
    expect(runWorkbench(bench, `SELECT * FROM ${call}`, 10).columns).toEqual(view.columns.map(([name]) => name));
  });

  it("join signals with changes", () => {
    const { rows } = runWorkbench(
      bench,
      `SELECT x.summary, count(*), round(avg(s.value), 1) FROM changes x
       JOIN samples('memory.used', '2026-03-17T10:00Z', '2026-03-17T10:09Z') s ON s.component = x.component
       GROUP BY x.summary`,
      10,
    );
    expect(rows).toEqual([["Something was set", 10, 4.5]]);
    expect(
      runWorkbench(
        bench,
        "SELECT at, lowest, mean, highest, count FROM hours('memory.used', '2026-03-17', '2026-03-18') ORDER BY at",
        10,
      ).rows,
    ).toEqual([
      ["2026-03-17T10:00:00.000Z", 0, 29.5, 59, 60],
      ["2026-03-17T11:00:00.000Z", 60, 89.5, 119, 60],
    ]);
  });

  it("stop at the most rows", () => {
    expect(
      runWorkbench(bench, "SELECT value FROM samples('memory.used', '2026-03-17', '2026-03-18')", 5),
    ).toMatchObject({ more: true, rows: [[0], [1], [2], [3], [4]] });
  });
});

describe("what is not allowed", () => {
  it.each([
    "DELETE FROM component",
    "INSERT INTO meta VALUES ('a', 'b')",
    "DROP VIEW components",
    "ATTACH ':memory:' AS other",
    "PRAGMA query_only = OFF",
    "VACUUM",
    "CREATE TEMP TABLE t (a)",
    "WITH x AS (SELECT 1) DELETE FROM component",
    "SELECT 1; DELETE FROM component",
    "EXPLAIN DELETE FROM component; DELETE FROM component",
    "",
    "SELECT load_extension('x')",
    "SELECT writefile('x', 'y')",
    "SELECT * FROM nowhere",
    "SELECT * FROM samples('m', 'soon', 'later')",
  ])("%s", (sql) => {
    expect(() => runWorkbench(bench, sql, 10)).toThrow();
    expect((db.prepare("SELECT count(*) AS n FROM component").get() as { n: number }).n).toBe(1);
  });
});

describe("what opens doors is not read by SQL", () => {
  it.each([
    "SELECT * FROM credential",
    "SELECT hash FROM main.password",
    'SELECT count(*) FROM "session"',
    "SELECT hash FROM token WHERE hash = x'00'",
    "SELECT max(id) FROM audit",
    "SELECT name FROM components WHERE EXISTS (SELECT 1 FROM account WHERE name = 'x')",
    "WITH x AS (SELECT sign_in FROM [account]) SELECT * FROM x",
    "SELECT 1 UNION ALL SELECT id FROM invitation",
    "-- quiet\n/* more */ SELECT code.hash FROM enrolment AS code",
    "SELECT (SELECT group_concat(hash) FROM password)",
  ])("%s", (sql) => {
    expect(() => runWorkbench(bench, sql, 10)).toThrow("is not read by SQL");
  });
  it("nor by pages of the file", () => {
    for (const sql of [
      "SELECT data FROM sqlite_dbpage",
      "SELECT * FROM sqlite_dbpage('main')",
      "SELECT * FROM fsdir('.')",
    ])
      expect(() => runWorkbench(bench, sql, 10), sql).toThrow(/no such table/);
  });
  it("what it is like may be known", () => {
    expect(runWorkbench(bench, "SELECT name FROM pragma_table_info('token') LIMIT 1", 1).rows).toEqual([["id"]]);
    expect(runWorkbench(bench, "EXPLAIN QUERY PLAN SELECT * FROM token", 5).rows).toHaveLength(1);
  });
});

describe("the first word", () => {
  it("is found after any comments", () => {
    expect(firstWord(" \n-- a\n/* b */--\n /**/ Select 1")).toBe("select");
    expect(firstWord("/* never closed SELECT 1")).toBe("");
    expect(firstWord("-- only this")).toBe("");
    expect(firstWord("(SELECT 1)")).toBe("");
  });
  it("in a time that does not grow faster than the text", () => {
    const nasty = "--\n".repeat(200_000) + "x";
    expect(firstWord(nasty)).toBe("x");
    expect(firstWord("/*".repeat(300_000))).toBe("");
  });
});

describe("people's statements, in processes of their own", () => {
  const ENDLESS = "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n";
  const script = join(process.cwd(), "build", "test", "workbench-child.mjs");
  beforeAll(async () => {
    const root = process.cwd();
    await build({
      entryPoints: [join(root, "server", "workbench", "child.ts")],
      outfile: script,
      bundle: true,
      packages: "external",
      platform: "node",
      target: "node20",
      format: "esm",
      logLevel: "error",
      alias: { "#core": join(root, "core"), "#server": join(root, "server") },
    });
  });
  const withWorkbench = async (longestMs: number, work: (workbench: Workbench) => Promise<void>) => {
    const workbench = new Workbench(script, file, longestMs);
    try {
      await work(workbench);
    } finally {
      workbench.close();
    }
  };

  it("end what never ends, and go on with the next", async () => {
    await withWorkbench(700, async (workbench) => {
      await expect(workbench.run("anna", ENDLESS, 10)).rejects.toThrow(/took longer than/);
      expect((await workbench.run("anna", "SELECT name FROM components", 10)).rows).toEqual([["h1"]]);
      await expect(workbench.run("anna", "SELECT nonsense", 10)).rejects.toThrow(/no such column/);
    });
  });
  it("one a person: the next takes its place", async () => {
    await withWorkbench(60_000, async (workbench) => {
      const first = workbench.run("anna", ENDLESS, 10);
      const second = workbench.run("anna", "SELECT 7", 10);
      await expect(first).rejects.toThrow("A newer statement of yours took its place.");
      expect((await second).rows).toEqual([[7]]);
    });
  });
  it("slow ones of some do not keep others waiting: the one that has run longest is ended", async () => {
    await withWorkbench(60_000, async (workbench) => {
      const slow = ["a", "b", "c"].map((who) => workbench.run(who, ENDLESS, 10).catch((error: Error) => error.message));
      expect((await workbench.run("anna", "SELECT 7", 10)).rows).toEqual([[7]]);
      expect(await slow[0]).toContain("Others were waiting and this statement had run longest");
    });
  });
  it("what takes too much memory is ended", async () => {
    await withWorkbench(60_000, async (workbench) => {
      const large =
        // It counts on while it holds what it has put together, so that whoever looks now and then sees it.
        "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n LIMIT 600), m(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM m LIMIT 1000000000) SELECT length(group_concat(hex(zeroblob(400000))) || (SELECT count(*) FROM m)) FROM n";
      await expect(workbench.run("anna", large, 10)).rejects.toThrow("used more than 400 MB");
      expect((await workbench.run("anna", "SELECT 7", 10)).rows).toEqual([[7]]);
    });
  });
});
