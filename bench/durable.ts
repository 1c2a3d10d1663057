import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { SampleWriter } from "#server/ingest/sample-writer";
import { migrate, openStore, type Db } from "#server/store/database";
import { saveService } from "#server/store/services";
import type { Measurement } from "./measurement";

const COMMITS = 300;
const SERIES = 100;

/** Milliseconds of one commit of a sample of each of a hundred series. */
function commitMs(root: string, synchronous: "FULL" | "NORMAL"): number {
  // On the disk itself: a file system in memory forces nothing.
  const folder = mkdtempSync(join(process.env.HOLOTAXIS_BENCH_DIR ?? tmpdir(), "holotaxis-bench-"));
  const db: Db = openStore(join(folder, "durable.db"), "writer");
  migrate(db, join(root, "server", "store", "migrations"));
  db.pragma(`synchronous = ${synchronous}`);
  const serviceId = saveService(db, { uid: "s", name: "S", purpose: "", owner: "", entries: [] }, 0);
  const writer = new SampleWriter(db);
  const all = Array.from({ length: SERIES }, (_, index) =>
    writer.series({ componentId: null, serviceId }, `m${index}`, "", "1", 0),
  );
  const began = performance.now();
  for (let round = 1; round <= COMMITS; round++) {
    for (const series of all) writer.record(series, round * 1000, round);
    writer.commit("commit", () => undefined);
  }
  const ms = (performance.now() - began) / COMMITS;
  db.close();
  rmSync(folder, { recursive: true, force: true });
  return ms;
}

/** What it costs that a commit is forced to the disk (synchronous = FULL), beside one that is not (NORMAL). */
export function benchDurable(root: string): Measurement {
  const normal = commitMs(root, "NORMAL");
  return {
    name: "a commit that survives a loss of power, 100 samples",
    value: commitMs(root, "FULL"),
    unit: "ms",
    better: "lower",
    target: 15,
    reference: { name: "the same, surviving a kill only", value: normal },
  };
}
