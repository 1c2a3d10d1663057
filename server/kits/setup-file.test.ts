import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, expect, it } from "vitest";
import { setupSchema } from "../settings";
import { choreNamed } from "../store/chores";
import type { Db } from "../store/database";
import { approvedRunbooks, runbookByUid } from "../store/runbooks";
import type { Vault } from "../vault/vault";
import { useStore } from "../../tests/store";
import { takeSetup } from "./setup-file";

const AT = Date.parse("2026-03-17T10:00:00Z");
let db: Db;
useStore((made) => (db = made));
let folder: string;
beforeAll(() => void (folder = mkdtempSync(join(tmpdir(), "holotaxis-setup-"))));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const step = { type: "wait", title: "Wait", seconds: 5 };
const runbook = { uid: "own-one", name: "One of ours", purpose: "Waits.", kinds: ["host.*"], steps: [step] };
const chore = {
  name: "Every Sunday",
  trigger: { type: "times", days: [7], weeks: "every", at: "04:10", zone: "UTC" },
  runbook: "own-one",
};

function take(own: object): void {
  const file = join(folder, "setup.json");
  writeFileSync(file, JSON.stringify({ organisation: "Test", sources: [], services: [], ...own }));
  takeSetup(db, file, {} as Vault, AT);
}

it("brings runbooks and chores of one's own, once, and leaves what people changed", () => {
  take({ runbooks: [runbook], ownChores: [chore] });
  expect(approvedRunbooks(db).find((one) => one.uid === "own-one")?.definition.name).toBe("One of ours");
  expect(choreNamed(db, "Every Sunday")?.next_at).toBe(Date.parse("2026-03-22T04:10:00Z"));
  const { id } = runbookByUid(db, "own-one") ?? {};
  take({ runbooks: [{ ...runbook, name: "Another" }], ownChores: [chore] });
  expect(runbookByUid(db, "own-one")?.id).toBe(id);
  expect(approvedRunbooks(db).find((one) => one.uid === "own-one")?.definition.name).toBe("One of ours");
});

it("says what is wrong with one", () => {
  expect(() => take({ runbooks: [{ ...runbook, steps: [] }] })).toThrow(/runbooks\.0\.steps/);
});

it.each(["halvane", "larkrise"])("of %s can be read", (name) => {
  const read = setupSchema.safeParse(JSON.parse(readFileSync(`scenarios/${name}-setup.json`, "utf8")));
  expect(read.error?.issues).toBeUndefined();
});
