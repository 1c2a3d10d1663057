import { mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeEach, describe, expect, it } from "vitest";
import { emptyEstate, useStore } from "../../tests/store";
import { onCallNow, onCallPage, rotationCalendar } from "../pages/on-call";
import { listChannels } from "../store/channels";
import { contactsByAccount } from "../store/contacts";
import { insertCredential } from "../store/credentials";
import { deleteMeta, type Db } from "../store/database";
import { addOverride, listRotations } from "../store/rotations";
import { listTellingRules } from "../store/telling";
import { takeDemoPeople } from "./setup-file";
import { takeTelling } from "./setup-telling";

const AT = Date.UTC(2026, 2, 17, 10);
const folder = mkdtempSync(join(tmpdir(), "holotaxis-setup-"));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
let db: Db;
useStore((made) => (db = made));

/** The demonstration's own set-up, with something in it changed. */
function fileWith(change: (telling: Record<string, never[]>) => void = () => undefined): string {
  const setup = JSON.parse(readFileSync("scenarios/halvane-setup.json", "utf8")) as {
    telling: Record<string, never[]>;
  };
  for (const one of setup.telling.channels as unknown as { settings: { authority?: string } }[])
    if (one.settings.authority) one.settings.authority = "";
  // Hosts of an address range stand elsewhere.
  const whole = { ...setup, sources: [] };
  change(whole.telling);
  const file = join(folder, `${Math.random()}.json`);
  writeFileSync(file, JSON.stringify(whole));
  return file;
}

beforeEach(() => {
  emptyEstate(db);
  db.exec(
    "DELETE FROM telling_rule; DELETE FROM rotation; DELETE FROM channel; DELETE FROM contact; DELETE FROM account; DELETE FROM credential",
  );
  deleteMeta(db, "telling");
  takeDemoPeople(db, fileWith(), AT);
  for (const [name, kind] of [
    ["Mail of the port", "mail-user"],
    ["Duty desk hook", "webhook-secret"],
  ] as const)
    insertCredential(
      db,
      { name, kind, about: {}, destinations: "127.20.8.7", sealed: "v1:1:x", madeBy: "test", isOwn: false },
      AT,
    );
});

describe("who is told in the demonstration", () => {
  it("is taken from the set-up file once, names in the place of numbers", () => {
    takeTelling(db, fileWith(), AT);
    expect(listChannels(db).map((one) => one.kind)).toEqual(["mail", "webhook", "chat", "browser"]);
    expect(listRotations(db).map((one) => one.name)).toEqual(["First line", "Second line"]);
    const hurts = listTellingRules(db).find((one) => one.name === "What hurts people");
    expect(hurts?.to[0]).toEqual({ kind: "rotation", id: listRotations(db)[0]?.id });
    expect(hurts?.sinceMs).toBe(AT);
    expect(contactsByAccount(db).size).toBe(4);
    // What people take out stays out.
    db.exec("DELETE FROM telling_rule");
    takeTelling(db, fileWith(), AT);
    expect(listTellingRules(db)).toEqual([]);
  });

  const first = (list: readonly never[] | undefined) => (list as unknown as Record<string, unknown>[])[0] ?? {};
  it.each<[string, (telling: Record<string, never[]>) => void]>([
    ["there is no “Nobody At All”", (telling) => (first(telling.contacts).name = "Nobody At All")],
    ["channel Mail", (telling) => (first(telling.channels).settings = { host: "" })],
    ["delayMinutes", (telling) => (first(telling.rules).delayMinutes = -1)],
  ])("is refused with a sentence: %s", (words, change) => {
    expect(() => takeTelling(db, fileWith(change), AT)).toThrow(words);
    expect(listChannels(db)).toEqual([]);
  });
});

describe("the page of who is on call", () => {
  it("says who is now and next, and shows gaps before they happen", () => {
    takeTelling(db, fileWith(), AT);
    expect(onCallNow(db, { nowMs: AT })).toEqual([
      { rotation: "First line", name: "Mara Tolvane" },
      { rotation: "Second line", name: "Edo Brandsma-Quill" },
    ]);
    const page = onCallPage(db, { fromMs: AT, toMs: AT + 7 * 86_400_000, nowMs: AT });
    const [first, second] = page.rotations;
    expect(first?.gaps).toEqual([]);
    expect(first?.next?.name).toBe("Edo Brandsma-Quill");
    // Weekends are covered by nobody, though they should be.
    expect(new Date(second?.gaps[0]?.fromMs ?? 0).toISOString()).toBe("2026-03-21T06:00:00.000Z");
    const [mara] = page.people.filter((one) => one.name === "Mara Tolvane");
    const override = {
      rotationId: second?.id ?? 0,
      person: mara?.id ?? 0,
      fromMs: AT,
      toMs: AT + 3_600_000,
      remark: "",
      madeBy: "test",
    };
    addOverride(db, override, AT);
    expect(onCallNow(db, { nowMs: AT })[1]?.name).toBe("Mara Tolvane");
    expect(onCallNow(db, { nowMs: AT + 3_600_000 })[1]?.name).toBe("Edo Brandsma-Quill");
    const calendar = rotationCalendar(db, { id: second?.id ?? 0, nowMs: AT });
    expect(calendar?.text).toMatch(/SUMMARY:Edo Brandsma-Quill[\s\S]*mailto:edo.brandsma-quill@halvane.example/);
  });
});
