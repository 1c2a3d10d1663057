import { mkdtempSync, rmSync } from "node:fs";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { forTargets, layOut } from "#core/repair/lay-out";
import { runbookSchema } from "#core/repair/runbook";
import { SampleWriter } from "#server/ingest/sample-writer";
import { layWorld } from "#server/repair/lay";
import { Runner } from "#server/repair/runner";
import { migrate, openStore, type Db } from "#server/store/database";
import { insertComponent } from "#server/store/estate";
import { addVersion } from "#server/store/runbooks";
import { openRuns } from "#server/store/runs";
import type { Measurement } from "./measurement";

const RUNS = 200;
const TARGETS = 500;
const AT_ONCE = 20;
/** A door answers so late, as one on a network does. */
const ANSWER_MS = 20;
const LOOK_EVERY_MS = 20;
const NOW = Date.UTC(2026, 2, 17, 10);

const wait = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));

/** How long the thread that ticks is held up while work goes on, at worst. */
async function worstHold(work: Promise<unknown>): Promise<number> {
  let worst = 0;
  let over = false;
  void work.finally(() => (over = true));
  let last = performance.now();
  while (!over) {
    await wait(LOOK_EVERY_MS);
    const now = performance.now();
    worst = Math.max(worst, now - last - LOOK_EVERY_MS);
    last = now;
  }
  return worst;
}

/** 200 runs at once, and one over 500 targets, against an HTTP door that takes its time. */
export async function benchRuns(root: string): Promise<Measurement[]> {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-runs-"));
  const door = createServer((_request, response) => setTimeout(() => response.end("{}"), ANSWER_MS));
  await new Promise<void>((done) => door.listen(0, "127.0.0.1", done));
  const url = `http://127.0.0.1:${(door.address() as AddressInfo).port}/`;
  try {
    const db = openStore(join(folder, "holotaxis.db"), "writer");
    migrate(db, join(root, "server", "store", "migrations"));
    const components = db.transaction(() => Array.from({ length: TARGETS }, (_, index) => host(db, index)))();
    const call = (title: string) => ({ type: "http", title, url });
    const definition = runbookSchema.parse({
      uid: "bench",
      name: "Bench",
      purpose: "Measures.",
      kinds: ["host.linux"],
      steps: [call("One"), { type: "wait", title: "Wait", seconds: 0.05 }, call("Two"), call("Three")],
    });
    const { id: runbookId, version } = addVersion(db, definition, {
      state: "approved",
      remark: "",
      by: "bench",
      atMs: NOW,
    });
    const runner = new Runner({
      db,
      sampleWriter: new SampleWriter(db),
      now: Date.now,
      sleep: (ms) => wait(ms),
      machineMs: (ms) => ms,
      vault: { use: () => ({ fields: {} }) as never, note: () => undefined },
      emit: () => undefined,
      reportProblem: () => undefined,
    });
    const begin = (targets: readonly number[]) => {
      const [componentId] = targets as [number];
      const own = targets.length > 1 ? forTargets(definition, AT_ONCE, 0) : definition;
      const laid = layOut(own, componentId, {}, layWorld(db, targets, NOW));
      runner.start({
        runbookId,
        version,
        definition: own,
        componentId,
        incidentId: null,
        policyId: null,
        args: {},
        by: "bench",
        laid,
        rulings: [],
        watched: [],
      });
    };
    const ended = async () => {
      while (openRuns(db).length > 0) await wait(50);
    };
    const plain = await worstHold(wait(1500));
    for (const id of components.slice(0, RUNS)) begin([id]);
    const many = await worstHold(ended());
    const began = performance.now();
    begin(components);
    const wide = await worstHold(ended());
    const took = performance.now() - began;
    db.close();
    const reference = { name: "the same thread with nothing to do", value: Math.max(1, plain) };
    return [
      {
        name: "200 runs at once: the ticking thread is held up at most",
        value: many,
        unit: "ms",
        better: "lower",
        target: 1000,
        reference,
      },
      {
        name: "a run over 500 targets, 20 at a time: the ticking thread is held up at most",
        value: wide,
        unit: "ms",
        better: "lower",
        target: 1000,
        reference,
      },
      {
        name: "a run over 500 targets, 20 at a time, four steps each",
        value: took / 1000,
        unit: "s",
        better: "lower",
        target: 30,
        reference: {
          name: "what its waits alone take, 20 at a time",
          value: ((TARGETS / AT_ONCE) * (3 * ANSWER_MS + 50)) / 1000,
        },
      },
    ];
  } finally {
    door.closeAllConnections();
    door.close();
    rmSync(folder, { recursive: true, force: true });
  }
}

const host = (db: Db, index: number): number =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name: `h-${index}`,
      site: "Room",
      sourceId: null,
      hostId: null,
      address: "127.0.0.1",
      reason: "",
      keys: [`k:${index}`],
      facts: {},
    },
    NOW,
  );
