import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { identityKey, type Observation } from "#core/estate/observation";
import { keysOf, mergedInto } from "../store/keys";
import { currentComponents } from "../store/estate";
import { insertSource } from "../store/sources";
import { migrate, openStore, type Db } from "../store/database";
import { IdentityByHand } from "./by-hand";
import { takeInLook } from "./take-in";

let db: Db;
let folder: string;
const AT = 1_700_000_000_000;
let source = 0;
let retired: number[] = [];
let byHand: IdentityByHand;

const host = (name: string, address: string, mac: string, uuid?: string): Observation => ({
  keys: [
    ...(uuid ? [identityKey("machine", uuid)] : []),
    identityKey("mac", mac),
    identityKey("name", name),
    identityKey("addr", address),
  ],
  kind: { is: "host.linux", reason: "read", confidence: 0.95 },
  name,
  address,
  depth: 3,
  readBy: "snmp",
  facts: { address, "host name": name },
  partsListed: true,
});
const sweep = (...observations: Observation[]) =>
  takeInLook(
    db,
    { observer: { sourceId: source, label: "sweep", site: "Room" }, atMs: AT, sinceMs: AT, observations },
    [],
  ).news;
const names = () =>
  currentComponents(db)
    .map((one) => one.name)
    .sort();
const idOf = (name: string) => currentComponents(db).find((one) => one.name === name)?.id as number;

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), "holotaxis-identity-"));
  db = openStore(join(folder, "store.db"), "writer");
  migrate(db, join(process.cwd(), "server", "store", "migrations"));
  byHand = new IdentityByHand(
    db,
    () => AT,
    (gone) => retired.push(...gone),
  );
});
afterAll(() => {
  db.close();
  rmSync(folder, { recursive: true });
});

beforeEach(() => {
  retired = [];
  db.exec(
    "DELETE FROM change; DELETE FROM fact; DELETE FROM component_join; DELETE FROM component_key; DELETE FROM sighting; DELETE FROM inventory; DELETE FROM component; DELETE FROM source",
  );
  source = insertSource(
    db,
    { kind: "range", name: "Room", site: "Room", settings: { ranges: "10.0.0.0/24" } } as never,
    undefined,
    AT,
  );
});

describe("who is who by a person's word", () => {
  it("joins two that have nothing in common, and whatever is seen of either is the one from then on", () => {
    sweep(host("a", "10.0.0.1", "m1"), host("b", "10.0.0.2", "m2"));
    const [a, b] = [idOf("a"), idOf("b")];
    byHand.join(b, a, "Ines");
    expect(names()).toEqual(["a"]);
    expect(retired).toEqual([b]);
    expect(mergedInto(db, a)).toMatchObject([{ id: b, reason: "b too, as Ines says" }]);
    expect(
      sweep(host("b", "10.0.0.2", "m2"), host("a", "10.0.0.1", "m1")).filter((one) => one.outcome === "new"),
    ).toEqual([]);
    expect(currentComponents(db)).toHaveLength(1);
  });

  it("splits off again what was joined, with its history, and it stays apart", () => {
    sweep(host("a", "10.0.0.1", "m1"), host("b", "10.0.0.2", "m2"));
    const [a, b] = [idOf("a"), idOf("b")];
    byHand.join(b, a, "Ines");
    const back = byHand.split(
      a,
      mergedInto(db, a).flatMap((one) => JSON.parse(one.keys) as string[]),
      "b",
      "Ines",
    );
    expect(back).toBe(b);
    expect(names()).toEqual(["a", "b"]);
    sweep(host("a", "10.0.0.1", "m1"), host("b", "10.0.0.2", "m2"));
    expect(names()).toEqual(["a", "b"]);
    expect(
      keysOf(db, b)
        .filter((one) => one.pinned_by === "Ines")
        .map((one) => one.key),
    ).toContain("mac:m2");
  });

  it("splits what rules would take for one, for ever", () => {
    sweep(host("a", "10.0.0.1", "m1", "u"));
    sweep(host("a", "10.0.0.1", "m1", "u"), { ...host("a", "10.0.0.1", "m2", "u"), address: "10.0.0.1" });
    const a = idOf("a");
    const made = byHand.split(a, ["mac:m2"], "a (second)", "Ines");
    for (let look = 0; look < 3; look++) sweep(host("a", "10.0.0.1", "m1", "u"), host("a", "10.0.0.9", "m2", "u"));
    expect(
      currentComponents(db)
        .map((one) => one.id)
        .sort(),
    ).toEqual([a, made].sort());
    expect(currentComponents(db).find((one) => one.id === made)?.address).toBe("10.0.0.9");
  });

  it("says what is wrong where it cannot be done", () => {
    sweep(host("a", "10.0.0.1", "m1"));
    const a = idOf("a");
    expect(() => byHand.join(a, a, "Ines")).toThrow("cannot be joined with itself");
    expect(() => byHand.join(a, 9999, "Ines")).toThrow("not there any more");
    expect(() => byHand.split(a, ["mac:other"], "x", "Ines")).toThrow("look again");
    expect(() =>
      byHand.split(
        a,
        keysOf(db, a).map((one) => one.key),
        "x",
        "Ines",
      ),
    ).toThrow("Leave a something");
    expect(() => byHand.split(a, ["mac:m1"], "", "Ines")).toThrow("Give what is split off a name");
    expect(() => byHand.pin(a, "mac:other", true, "Ines")).toThrow("Load the page again");
  });

  it("pins one sign and takes it back", () => {
    sweep(host("a", "10.0.0.1", "m1"));
    const a = idOf("a");
    byHand.pin(a, "addr:10.0.0.1", true, "Ines");
    sweep(host("b", "10.0.0.1", "m2"));
    expect(currentComponents(db)).toHaveLength(1);
    byHand.pin(a, "addr:10.0.0.1", false, "Ines");
    expect(keysOf(db, a).every((one) => one.pinned_by === null)).toBe(true);
  });
});
