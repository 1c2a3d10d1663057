import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { migrate, openStore } from "#server/store/database";
import { LogWriter, type NewLog } from "#server/store/log-writer";
import { readSearch, searchLogs } from "#server/store/logs";
import { insertResource } from "#server/store/resources";
import type { Measurement } from "./measurement";

const START = Date.parse("2026-03-17T00:00:00Z");
const NAMES = ["Aldane", "Brae", "Corrie", "Dunlin", "Eider", "Fulmar", "Gannet", "Heron"] as const;
const TEMPLATES: readonly ((n: number) => string)[] = [
  (n) => `slot ${n} of gate ${n % 9} taken by haulier ${NAMES[n % 8]}`,
  (n) =>
    `manifest ${(n * 2_654_435_761).toString(16)} of vessel ${NAMES[(n >> 3) % 8]} parsed in ${n % 400} ms, ${n % 90} items`,
  (n) => `connection from 127.20.${n % 3}.${n % 250} accepted after ${n % 7} tries`,
  (n) => `query took ${n % 90} ms: SELECT berth FROM plan WHERE vessel = '${NAMES[n % 8]}'`,
  (n) => `heap at ${n % 800} MB of 1024 MB, ${n % 5} collections in the last minute`,
  (n) => (n % 1001 === 0 ? `release ${n} held back: papers missing` : `release ${n} granted for container HALV${n}`),
];
const record = (n: number): NewLog => ({
  atMs: START + Math.floor(n / 80),
  severity: n % 50 === 0 ? 17 : 9,
  resourceId: 1 + (n % 20),
  body: (TEMPLATES[(n * 7) % TEMPLATES.length] as (n: number) => string)(n),
  attributes: n % 4 === 0 ? '{"http.route":"/slots"}' : null,
  traceId: null,
  spanId: null,
});

/** Log records into the store, then a word looked up among five million. */
export function benchLogs(root: string): Measurement[] {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-bench-"));
  const file = join(folder, "logs.db");
  const db = openStore(file, "writer");
  migrate(db, join(root, "server", "store", "migrations"));
  for (let index = 0; index < 20; index++)
    insertResource(db, `{"service.name":"s${index}"}`, { componentId: null, why: "" }, START);
  const writer = new LogWriter(db);
  const batch = 2000;
  const total = Number(process.env.BENCH_LOGS ?? 5_000_000);
  let took = 0;
  let measured = 0;
  for (let from = 0; from < total; from += batch) {
    const records = Array.from({ length: batch }, (_, index) => record(from + index));
    const began = performance.now();
    db.transaction(() => writer.write(records))();
    // The first half million: what a store does while it is young and while its index is merged.
    if (from < 500_000) {
      took += performance.now() - began;
      measured += batch;
    }
  }
  db.exec("CREATE TABLE plain (id INTEGER PRIMARY KEY, at INTEGER, body TEXT) STRICT");
  const insert = db.prepare("INSERT INTO plain (at, body) VALUES (?, ?)");
  const plainBegan = performance.now();
  for (let from = 0; from < 500_000; from += batch)
    db.transaction(() => {
      for (let index = 0; index < batch; index++) {
        const one = record(from + index);
        insert.run(one.atMs, one.body);
      }
    })();
  const plain = 500_000 / ((performance.now() - plainBegan) / 1000);
  const reader = openStore(file, "reader");
  const filter = { fromMs: 0, toMs: 1e15, ...readSearch("papers missing"), leastSeverity: 0 };
  const searchBegan = performance.now();
  const page = searchLogs(reader, filter, null, 50);
  const search = performance.now() - searchBegan;
  if (page.rows.length !== 50) throw new Error("The search found too little.");
  const scanBegan = performance.now();
  reader.prepare("SELECT id FROM plain WHERE body LIKE '%papers missing%' ORDER BY id DESC").all();
  const scan = (performance.now() - scanBegan) * (total / 500_000);
  reader.close();
  db.close();
  rmSync(folder, { recursive: true, force: true });
  return [
    {
      name: "log records a second, kept, searchable and matched to a pattern",
      value: measured / (took / 1000),
      unit: "1/s",
      better: "higher",
      target: 40_000,
      reference: { name: "the same texts as plain rows", value: plain },
    },
    {
      name: "first page of a word search over 5 million records",
      value: search,
      unit: "ms",
      better: "lower",
      target: 300,
      reference: { name: "reading through plain rows", value: scan },
    },
  ];
}
