import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { auditIn } from "../store/audit";
import { credentialById, insertCredential, listCredentials, sealedOf, vaultKeys } from "../store/credentials";
import { migrate, openStore, type Db } from "../store/database";
import { readMasterKey, sealWith } from "./master-key";
import { rotateMasterKey, Vault } from "./vault";

let folder: string;
let file: string;
let db: Db;
let now: number;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-"));
  file = join(folder, "secret.key");
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  now = 1_000_000;
});
afterEach(() => {
  db.close();
  rmSync(folder, { recursive: true, force: true });
});
const open = (environment = {}) => new Vault(db, readMasterKey(file, environment), () => now);
const add = (vault: Vault, fields: Record<string, string>, sealed = vault.seal(fields)) => {
  const row = {
    name: `c${listCredentials(db).length}`,
    kind: "snmp-community",
    about: { version: "2c" },
    destinations: "*.example",
  };
  const id = insertCredential(db, { ...row, sealed, madeBy: "Anna", isOwn: false }, 0);
  return id;
};
const use = (vault: Vault, id: number) => vault.use(credentialById(db, id) as never, "a test");

describe("the vault", () => {
  it("seals each time differently, and opens after a new start, with what is no secret beside it", () => {
    const vault = open();
    expect(vault.seal({ a: "b" })).not.toBe(vault.seal({ a: "b" }));
    const id = add(vault, { community: "halvane" });
    expect(sealedOf(db, id)).not.toContain("halvane");
    expect(use(open(), id).fields).toEqual({ version: "2c", community: "halvane" });
    expect(statSync(file).mode & 0o777).toBe(0o600);
  });
  it("gives back whatever was sealed", () => {
    const vault = open();
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.string({ unit: "grapheme" })), (fields) => {
        const given = { ...fields };
        expect(use(vault, add(vault, given)).fields).toEqual({ version: "2c", ...given });
      }),
      { numRuns: 40 },
    );
  });
  it("notices what was altered", () => {
    const vault = open();
    const id = add(vault, { community: "halvane" });
    const sealed = sealedOf(db, id) as string;
    db.prepare("UPDATE credential SET sealed = ?").run(`${sealed.slice(0, -6)}AAAA==`);
    expect(() => use(vault, id)).toThrow();
  });
  it("seals anew what the version before sealed with the master key itself", () => {
    const { key } = readMasterKey(file, {});
    const id = add(open(), {}, sealWith(key, Buffer.from("halvane")));
    expect(use(open(), id).fields.community).toBe("halvane");
    expect(sealedOf(db, id)).toMatch(/^v1:/);
  });
  it("does not start with another master key, and refuses a damaged file in words", () => {
    open();
    const other = Buffer.alloc(32, 7).toString("base64");
    expect(() => open({ HOLOTAXIS_MASTER_KEY: other })).toThrow("The master key is not the one");
    expect(() => open({ HOLOTAXIS_MASTER_KEY: "short" })).toThrow("must be 32 bytes as base64");
    writeFileSync(file, "short");
    expect(() => open()).toThrow(/must hold 32 bytes/);
  });
  it("puts reads of a secret on record, once an hour for each purpose, and never the secret", () => {
    const vault = open();
    const id = add(vault, { community: "halvane" });
    for (let index = 0; index < 5; index++) use(vault, id);
    now += 3_600_001;
    use(vault, id);
    const rows = auditIn(db, { fromMs: 0, toMs: 1e12 }, 10, 0);
    expect(rows.map((row) => [row.who, row.via, row.summary])).toEqual(
      Array.from({ length: 2 }, () => ["Holotaxis", "machine", "Read the secret of c0 for a test"]),
    );
    expect(JSON.stringify(rows)).not.toContain("halvane");
  });
});

describe("changing the master key", () => {
  it("leaves a running vault as it is; the old key opens nothing any more", () => {
    const running = open();
    const id = add(running, { community: "halvane" });
    const before = readFileSync(file);
    expect(rotateMasterKey(db, readMasterKey(file, {}), file, now)).toBeUndefined();
    expect(readFileSync(file).equals(before)).toBe(false);
    expect(existsSync(`${file}.new`)).toBe(false);
    expect(use(running, id).fields.community).toBe("halvane");
    const later = add(running, { community: "tarn" });
    expect(use(open(), id).fields.community).toBe("halvane");
    expect(use(open(), later).fields.community).toBe("tarn");
    expect(vaultKeys(db)).toHaveLength(1);
    expect(() => open({ HOLOTAXIS_MASTER_KEY: before.toString("base64") })).toThrow("not the one");
  });
  it("cut off before the file is replaced, leaves the old key good, and can be done again", () => {
    const id = add(open(), { community: "halvane" });
    const before = readFileSync(file);
    rotateMasterKey(db, readMasterKey(file, {}), join(folder, "elsewhere.key"), now);
    // What the cut-off change would have left: both wraps. The old key still opens.
    expect(readFileSync(file).equals(before)).toBe(true);
    const after = readMasterKey(join(folder, "elsewhere.key"), {});
    expect(new Vault(db, after, () => now).use(credentialById(db, id) as never, "x").fields.community).toBe("halvane");
  });
  it("from the environment gives the new key, and both are good until the next start", () => {
    const old = Buffer.alloc(32, 9).toString("base64");
    const id = add(open({ HOLOTAXIS_MASTER_KEY: old }), { community: "halvane" });
    const next = rotateMasterKey(db, readMasterKey(file, { HOLOTAXIS_MASTER_KEY: old }), file, now) as string;
    expect(vaultKeys(db)).toHaveLength(2);
    expect(use(open({ HOLOTAXIS_MASTER_KEY: next }), id).fields.community).toBe("halvane");
    expect(vaultKeys(db)).toHaveLength(1);
    expect(() => open({ HOLOTAXIS_MASTER_KEY: old })).toThrow("not the one");
  });
});
