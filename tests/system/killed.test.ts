import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build } from "esbuild";
import { afterAll, beforeAll, expect, it } from "vitest";
import { openStore } from "#server/store/database";
import { readSamples } from "#server/store/signals";

/** A child that keeps samples and records, and says after each commit how far it has come. */
const CHILD = `
import { migrate, openStore } from "#server/store/database";
import { SampleWriter } from "#server/ingest/sample-writer";
import { LogWriter } from "#server/store/log-writer";
import { insertResource } from "#server/store/resources";
import { saveService } from "#server/store/services";
const [file, migrations] = process.argv.slice(2);
const db = openStore(file, "writer");
migrate(db, migrations);
const service = saveService(db, { uid: "s", name: "S", purpose: "", owner: "", entries: [] }, 0);
const resource = db.prepare("SELECT id FROM resource").get()?.id ?? insertResource(db, "{}", { componentId: null, why: "" }, 0);
const sampleWriter = new SampleWriter(db);
const writer = new LogWriter(db);
const all = Array.from({ length: 40 }, (_, index) => sampleWriter.series({ componentId: null, serviceId: service }, "m" + index, "", "1", 0));
let next = 1 + Math.max(0, ...all.map((series) => sampleWriter.last(series).atMs / 1000));
for (;;) {
  for (const series of all) sampleWriter.record(series, next * 1000, next + series.id / 100);
  sampleWriter.commit(next % 7 === 0 ? "tick" : next % 50 === 0 ? "everything" : "commit", () => {
    writer.write([{ atMs: next * 1000, severity: 9, resourceId: resource, body: "round " + next, attributes: null, traceId: null, spanId: null }]);
  });
  process.stdout.write(next + "\\n");
  next++;
}
`;

let folder: string;
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  const root = process.cwd();
  await build({
    stdin: { contents: CHILD, resolveDir: root, loader: "ts" },
    outfile: join(root, "build", "test", "killed-child.mjs"),
    bundle: true,
    packages: "external",
    platform: "node",
    target: "node20",
    format: "esm",
    logLevel: "error",
    alias: { "#core": join(root, "core"), "#server": join(root, "server") },
  });
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

it("loses nothing that was acknowledged, whenever the process is killed", async () => {
  const file = join(folder, "store.db");
  const child = join(process.cwd(), "build", "test", "killed-child.mjs");
  let acknowledged = 0;
  for (let round = 0; round < 12; round++) {
    await new Promise<void>((resolve, reject) => {
      const running = spawn(process.execPath, [child, file, join(process.cwd(), "server", "store", "migrations")], {
        stdio: ["ignore", "pipe", "pipe"],
      });
      let errors = "";
      let rest = "";
      let commits = 0;
      running.stderr.on("data", (part: Buffer) => (errors += part.toString()));
      running.stdout.on("data", (part: Buffer) => {
        const lines = (rest + part.toString()).split("\n");
        rest = lines.pop() ?? "";
        for (const line of lines) acknowledged = Math.max(acknowledged, Number(line));
        commits += lines.length;
        // Killed in the middle of whatever it does, at another place each time.
        if (commits > 20 + round * 9) running.kill("SIGKILL");
      });
      running.on("exit", (_code, signal) =>
        signal === "SIGKILL" ? resolve() : reject(new Error(errors || "The child ended by itself.")),
      );
    });
    const db = openStore(file, "reader");
    const series = db.prepare("SELECT id FROM series ORDER BY id").all() as { id: number }[];
    expect(series).toHaveLength(40);
    for (const { id } of series) {
      const { times, values } = readSamples(db, id, 0, 1e15);
      // One commit may have been made and not been told of yet.
      expect(times.length).toBeGreaterThanOrEqual(acknowledged);
      expect(times.length).toBeLessThanOrEqual(acknowledged + 400);
      times.forEach((at, index) => {
        expect(at).toBe((index + 1) * 1000);
        expect(values[index]).toBe(index + 1 + id / 100);
      });
    }
    expect((db.prepare("SELECT count(*) AS n FROM log").get() as { n: number }).n).toBeGreaterThanOrEqual(acknowledged);
    db.close();
  }
  expect(acknowledged).toBeGreaterThan(500);
}, 120_000);
