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
import { openWorkbench, runWorkbench } from "./open";
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

it("ends what never ends, and goes on with the next", async () => {
  const root = process.cwd();
  const script = join(root, "build", "test", "workbench-child.mjs");
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
  const workbench = new Workbench(script, file, 700);
  try {
    const endless = workbench.run(
      "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT count(*) FROM n",
      10,
    );
    const next = workbench.run("SELECT name FROM components", 10);
    await expect(endless).rejects.toThrow(/took longer than/);
    expect((await next).rows).toEqual([["h1"]]);
    await expect(workbench.run("SELECT nonsense", 10)).rejects.toThrow(/no such column/);
  } finally {
    workbench.close();
  }
});
