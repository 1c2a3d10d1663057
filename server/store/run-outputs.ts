import { existsSync, readdirSync, readFileSync, rmSync, statSync } from "node:fs";
import { dirname, join } from "node:path";
import type { Db } from "./database";

/** Where the rest of what a step printed is put, beside the store. */
export const outputFile = (folder: string, runId: number, position: number): string =>
  join(folder, `${runId}-${position}.txt`);

/** Takes away what was written before an instant of the machine's clock. */
export function forgetOutputs(folder: string, beforeMs: number): void {
  if (!existsSync(folder)) return;
  for (const name of readdirSync(folder)) {
    const file = join(folder, name);
    if (/^\d+-\d+\.txt$/.test(name) && statSync(file).mtimeMs < beforeMs) rmSync(file, { force: true });
  }
}

/** What did not fit into the store of what a step printed; empty where all did. */
export function restOfOutput(db: Db, runId: number, position: number): string {
  const file = outputFile(join(dirname(db.name), "runs"), runId, position);
  return existsSync(file) ? readFileSync(file, "utf8") : "";
}
