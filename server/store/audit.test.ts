import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { beforeEach, describe, expect, it } from "vitest";
import { useStore } from "../../tests/store";
import { auditAreas, auditIn, chainUp, countAudit, insertAudit, verifyAudit, type AuditEntry } from "./audit";
import { migrate, openStore, type Db } from "./database";

let db: Db;
useStore((made) => (db = made));
/** As somebody would who has the file in their hands. */
const force = (sql: string) => {
  db.exec("DROP TRIGGER IF EXISTS audit_kept; DROP TRIGGER IF EXISTS audit_fixed");
  db.exec(sql);
};
beforeEach(() => force("DELETE FROM audit"));

it("the store itself refuses to change an entry or to take it away", () => {
  const folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  const own = openStore(join(folder, "store.db"), "writer");
  migrate(own, join(process.cwd(), "server", "store", "migrations"));
  insertAudit(own, entry(1));
  expect(() => own.exec("DELETE FROM audit")).toThrow("append-only");
  expect(() => own.exec("UPDATE audit SET who = 'Ben'")).toThrow("append-only");
  own.close();
  rmSync(folder, { recursive: true, force: true });
});

const entry = (index: number, more: Partial<AuditEntry> = {}): AuditEntry => ({
  atMs: 1000 + index,
  who: "Anna",
  via: "browser",
  address: "192.0.2.7",
  command: "rule.save",
  subject: `rule:${index}`,
  summary: `Changed rule ${index}`,
  outcome: "done",
  reason: null,
  before: { limit: index },
  after: { limit: index + 1 },
  ...more,
});
const write = (count: number) => {
  for (let index = 1; index <= count; index++) insertAudit(db, entry(index));
};

describe("the chain of the audit record", () => {
  it("holds, and its head changes with every entry", () => {
    const heads = new Set<string>();
    for (let index = 1; index <= 1100; index++) {
      insertAudit(db, entry(index));
      if (index % 275 === 0) heads.add(verifyAudit(db).head);
    }
    expect(verifyAudit(db)).toMatchObject({ entries: 1100, broken: null });
    expect(heads.size).toBe(4);
  });
  it("shows the first entry that was altered, whatever was altered in it", () => {
    const columns = [
      "at = at + 1",
      "who = 'Ben'",
      "via = 'token'",
      "address = ''",
      "command = 'x.y'",
      "subject = ''",
      "summary = 'nothing'",
      "outcome = 'refused'",
      "reason = 'x'",
      "before = NULL",
      "after = '{}'",
      "hash = zeroblob(32)",
      "hash = NULL",
    ];
    for (const change of columns) {
      force("DELETE FROM audit");
      write(6);
      force(`UPDATE audit SET ${change} WHERE id = 3`);
      expect(verifyAudit(db).broken?.id, change).toBe(3);
    }
  });
  it("shows an entry that was taken out or put in between", () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 7 }), (gone) => {
        force("DELETE FROM audit");
        write(8);
        force(`DELETE FROM audit WHERE id = ${gone}; UPDATE audit SET id = id - 1 WHERE id > ${gone}`);
        expect(verifyAudit(db).broken?.id).toBe(gone);
      }),
    );
  });
  it("cut off at its end has another head: whoever noted it down knows", () => {
    write(5);
    const { head } = verifyAudit(db);
    force("DELETE FROM audit WHERE id = 5");
    expect(verifyAudit(db).broken).toBeNull();
    expect(verifyAudit(db).head).not.toBe(head);
  });
  it("takes in what versions without a chain wrote, once", () => {
    for (let index = 1; index <= 3; index++)
      db.prepare(
        "INSERT INTO audit (at, who, via, command, summary, outcome) VALUES (?, 'Anna', 'browser', 'query.save', 'x', 'done')",
      ).run(index);
    chainUp(db);
    insertAudit(db, entry(4));
    const first = verifyAudit(db);
    expect(first).toMatchObject({ entries: 4, broken: null });
    chainUp(db);
    expect(verifyAudit(db)).toEqual(first);
  });
});

describe("what is on record", () => {
  it("is found by person, area, outcome and words, in a window", () => {
    write(3);
    insertAudit(
      db,
      entry(9, { who: "Ben", command: "session.begin", outcome: "refused", reason: "wrong", summary: "x" }),
    );
    const of = (more: object) => auditIn(db, { fromMs: 0, toMs: 9999, ...more }, 10, 0).map((row) => row.id);
    expect(of({})).toEqual([4, 3, 2, 1]);
    expect(of({ search: "bEN" })).toEqual([4]);
    expect(of({ area: "rule" })).toEqual([3, 2, 1]);
    expect(of({ outcome: "refused" })).toEqual([4]);
    expect(of({ search: "%" })).toEqual([]);
    expect(countAudit(db, { fromMs: 1002, toMs: 1003 })).toBe(2);
    expect(auditAreas(db)).toEqual(["rule", "session"]);
  });
  it("keeps long states short, and stays readable JSON", () => {
    insertAudit(db, entry(1, { after: { text: "x".repeat(10_000) } }));
    const after = auditIn(db, { fromMs: 0, toMs: 9999 }, 1, 0)[0]?.after as string;
    expect(after.length).toBeLessThan(4200);
    expect(() => JSON.parse(after) as unknown).not.toThrow();
  });
});
