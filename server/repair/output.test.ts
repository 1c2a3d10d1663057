import { mkdtempSync, rmSync, statSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeEach, describe, expect, it } from "vitest";
import { openStore, type Db } from "../store/database";
import { outputFile } from "../store/run-outputs";
import { useStore } from "../../tests/store";
import { StepOutput } from "./output";
import type { RunnerWorld } from "./world";

const folder = mkdtempSync(join(tmpdir(), "holotaxis-output-"));
let db: Db;
useStore((made) => (db = made));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const make = (store: Db, outputs?: string) =>
  new StepOutput({ db: store, ...(outputs ? { outputs } : {}) } as RunnerWorld, 1, 0, () => undefined);
const kept = () =>
  db.prepare("SELECT output, left_out FROM run_step WHERE run_id = 1").get() as { output: string; left_out: number };
beforeEach(() => {
  db.pragma("foreign_keys = OFF");
  db.exec(
    "DELETE FROM run_step; INSERT INTO run_step (run_id, position, type, title, state) VALUES (1, 0, 'command', 't', 'running')",
  );
});

describe("what a step prints", () => {
  it("never shows a secret, wherever it is cut into pieces", () =>
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 9 }), { minLength: 1, maxLength: 20 }), (sizes) => {
        db.exec("UPDATE run_step SET output = ''");
        const text = "before sesame-1234 between sesame-1234-long after";
        const output = make(db);
        output.keepSecret(["sesame-1234", "sesame-1234-long", undefined, ""]);
        let at = 0;
        for (let turn = 0; at < text.length; turn++) {
          const size = sizes[turn % sizes.length] as number;
          output.take(text.slice(at, at + size));
          // As its clock would, in between.
          (output as unknown as { tryWrite(): void }).tryWrite();
          at += size;
        }
        output.end();
        expect(kept().output).toBe("before ••• between ••• after");
      }),
    ));
  it("is kept here up to a bound, beyond it in a file, and counted", () => {
    const output = make(db, folder);
    output.take("x".repeat(100_000));
    output.end();
    expect(kept()).toMatchObject({ left_out: 100_000 - 65_536 });
    expect(kept().output.length).toBe(65_536);
    expect(statSync(outputFile(folder, 1, 0)).size).toBe(100_000 - 65_536);
  });
  it("waits while the store takes nothing, within bounds, and stops nothing else", () => {
    const closed = openStore(join(folder, "closed.db"), "writer");
    closed.close();
    const output = make(closed);
    for (let turn = 0; turn < 40; turn++) output.take("y".repeat(100_000));
    expect((output as unknown as { waiting: string }).waiting.length).toBe(1024 * 1024);
    expect(() => output.end()).toThrow();
  });
});
