import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, expect, it } from "vitest";
import { readMeta, writeMeta, type Db } from "../store/database";
import { openPrepared } from "./open-prepared";

let folder: string;
beforeEach(() => (folder = mkdtempSync(join(tmpdir(), "holotaxis-"))));
afterEach(() => rmSync(folder, { recursive: true, force: true }));

const open = () => openPrepared(join(folder, "store.db"), join(process.cwd(), "server", "store", "migrations"));
/** What a start leaves behind that got as far as this. */
function leave(...marks: string[]) {
  const db: Db = open();
  for (const mark of marks) writeMeta(db, mark, "1");
  writeMeta(db, "something", "kept");
  db.close();
}
function opened() {
  const db = open();
  const found = { something: readMeta(db, "something"), preparing: readMeta(db, "preparing") };
  db.close();
  return found;
}

it("begins a first start that was cut off anew", () => {
  leave("preparing");
  expect(opened()).toEqual({ something: undefined, preparing: undefined });
});
it("keeps a store whose first start came to its end", () => {
  leave("preparing", "prepared");
  expect(opened().something).toBe("kept");
});
it("keeps a store that never lived through a past: it may hold what was sent to it", () => {
  leave();
  expect(opened().something).toBe("kept");
});
