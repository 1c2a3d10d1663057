import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { SystemSighting } from "#core/estate/sighting";
import { useStore } from "../../tests/store";
import type { Db } from "../store/database";
import { insertComponent, retireComponent, writeInventory, type NewComponent } from "../store/estate";
import { writeFact } from "../store/facts";
import { saveNamedProduct } from "../store/fingerprints";
import { noteSighting } from "../store/sightings";
import { endSweep, insertFinding, insertSource, insertSweep } from "../store/sources";
import { coveragePage, namingPage } from "./coverage";
import { certificatesPage, softwarePage } from "./software";

const AT = Date.UTC(2026, 2, 17, 10);
let db: Db;
let source: number;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    `DELETE FROM finding; DELETE FROM sweep; DELETE FROM sighting; DELETE FROM inventory; DELETE FROM fact; DELETE
     FROM component_key; DELETE FROM component WHERE host_id IS NOT NULL; DELETE FROM component; DELETE FROM source`,
  );
  source = addSource("Room", "10.0.0.0/24", "60");
});

const addSource = (name: string, ranges: string, every: string) =>
  insertSource(
    db,
    {
      kind: "range",
      name,
      site: "Room",
      settings: { ranges, except: "", ports: "22", snmpPort: 161 },
      pollSeconds: 60,
      sweeps: { every, quiet: "" },
    },
    undefined,
    1,
  );
const add = (name: string, changes: Partial<NewComponent> = {}, at = AT - DAY_MS) =>
  insertComponent(
    db,
    {
      kind: "host.linux",
      name,
      site: "Room",
      sourceId: source,
      hostId: null,
      address: "10.0.0.1",
      depth: 2,
      readBy: "snmp",
      reason: "it says so",
      keys: [],
      facts: {},
      ...changes,
    },
    at,
  );
const sweep = (of: number, ...failed: string[]) => {
  const id = insertSweep(db, of, "Anna", 10, AT - HOUR_MS);
  for (const address of failed)
    insertFinding(db, id, { outcome: "failed", component_id: null, address, title: address, detail: "It refuses." });
  endSweep(db, id, "done", null, AT - HOUR_MS + 1000);
};
const tables = (changes: Partial<SystemSighting>) =>
  ({ software: [], listeners: [], connections: [], ...changes }) as unknown as SystemSighting;
const gaps = () =>
  Object.fromEntries(
    coveragePage(db, { atMs: AT })
      .groups.filter((group) => group.total > 0)
      .map((group) => [group.id, group.gaps.map((gap) => [gap.what, gap.detail, gap.step?.text ?? null])]),
  );

describe("coverage", () => {
  it("is without gaps where all is well", () => {
    db.prepare("UPDATE component SET last_seen_at = ?").run(AT);
    expect(gaps()).toEqual({});
  });
  it("tells a system group alone from listeners without owners, and what mends each", () => {
    const bare = add("bare");
    writeInventory(db, bare, tables({}), AT);
    const mute = add("mute", { address: "10.0.0.2" });
    writeInventory(db, mute, tables({ listeners: [{ address: "", port: 80, pid: 0 }], software: [] }), AT);
    const full = add("full", { address: "10.0.0.3", depth: 3 });
    writeInventory(db, full, tables({ listeners: [{ address: "", port: 80, pid: 1 }] }), AT);
    db.prepare("UPDATE component SET last_seen_at = ?").run(AT);
    expect(gaps().half).toEqual([
      ["bare", expect.stringContaining("shows the system group only"), "Read it over SSH"],
      ["mute", expect.stringContaining("does not show whose 1 of 1 listeners"), "Read it over SSH"],
    ]);
  });
  it("lists what refuses once, by the name it has, and not as unseen besides", () => {
    const id = add("web");
    db.prepare("UPDATE component SET last_seen_at = ?").run(AT);
    const other = addSource("Shells", "10.0.0.0/24", "60");
    noteSighting(db, { componentId: id, sourceId: source, depth: 2, reader: "snmp" }, AT - 30 * MINUTE_MS);
    sweep(source);
    sweep(other, "10.0.0.1");
    expect(gaps()).toEqual({ refused: [["web", "Shells: It refuses.", "Edit Shells"]] });
  });
  it("lists what a source that covers it did not see, unless it is newer than that look", () => {
    add("web");
    add("young", { address: "10.0.0.9" }, AT - MINUTE_MS);
    db.prepare("UPDATE component SET last_seen_at = ?").run(AT);
    sweep(addSource("Shells", "10.0.0.0/24", "60"));
    expect(gaps()["one-sided"]?.map(([what]) => what)).toEqual(["web"]);
  });
  it("lists what lists name and nobody sees, what no list names, and names without a host", () => {
    const of = (kind: string) =>
      insertSource(
        db,
        { kind, name: kind, site: "Room", settings: { list: "name\na" }, sweeps: { every: "60", quiet: "" } },
        undefined,
        1,
      );
    const [list, dns] = [of("list"), of("dns")];
    const ghost = add("ghost", { depth: 1, readBy: "list", sourceId: list });
    noteSighting(db, { componentId: ghost, sourceId: list, depth: 1, reader: "list" }, AT);
    add("web");
    add("elsewhere", { site: "Yard", address: "10.0.0.4" });
    db.prepare("UPDATE component SET last_seen_at = ?").run(AT);
    const looked = insertSweep(db, dns, "Anna", 1, AT - HOUR_MS);
    insertFinding(db, looked, {
      outcome: "unmatched",
      component_id: null,
      address: "10.0.0.9",
      title: "10.0.0.9",
      detail: "old",
    });
    endSweep(db, looked, "done", null, AT - HOUR_MS);
    expect(gaps()).toEqual({
      listed: [["ghost", expect.stringContaining("list names it at 10.0.0.1"), "Add a source"]],
      unlisted: [["web", expect.any(String), "Look at it"]],
      names: [["10.0.0.9", "old", "Add a source"]],
    });
  });
  it("lists hosts known from outside only, silent ones, sources that never sweep, and who left", () => {
    add("outside", { depth: 0, readBy: "" });
    add("silent", { address: "10.0.0.2" });
    retireComponent(db, add("old", { address: "10.0.0.3" }), AT - DAY_MS / 2);
    addSource("Idle", "10.9.0.0/24", "");
    const found = gaps();
    expect(found.unwatched?.map(([what]) => what)).toEqual(["outside"]);
    expect(found.silent).toEqual([["silent", "Seen last 1440 minutes ago.", "Look at it"]]);
    expect(found.idle).toEqual([["Idle", "No sweep of it starts by itself.", "Edit Idle"]]);
    expect(found.gone).toEqual([["old (10.0.0.3)", expect.stringContaining("2026-03-16 10:00"), null]]);
  });
  it("lists products that nobody named with what they show, and offers that for naming", () => {
    const host = add("web");
    const part = { hostId: host, address: null, kind: "app.endpoint", sourceId: null };
    const unknown = add("x @ web", { ...part, facts: { banner: "220 hello", process: "x" } });
    add("y @ web", { ...part, facts: { process: "y", product: "Y" } });
    add("z @ web", { ...part, facts: { process: "z" } });
    expect(gaps().unnamed?.map(([what, detail]) => [what, detail])).toEqual([
      ["x @ web", "banner “220 hello”; process “x”"],
      ["z @ web", "process “z”"],
    ]);
    expect(namingPage(db, { id: unknown })?.clues.map((one) => [one.clue, one.words])).toEqual([
      ["process", "x"],
      ["banner", "220 hello"],
    ]);
    saveNamedProduct(db, { product: "X", kind: null, clue: "banner", words: "hello", madeBy: "Anna" }, AT);
    saveNamedProduct(db, { product: "X2", kind: null, clue: "banner", words: "hello", madeBy: "Ben" }, AT);
    expect(coveragePage(db, { atMs: AT }).named).toMatchObject([{ product: "X2", madeBy: "Ben" }]);
  });
});

describe("software and certificates across the estate", () => {
  it("counts places of each version, with since when, and finds an earlier instant as it was", () => {
    const host = add("web");
    const part = { hostId: host, address: null, kind: "app.web", sourceId: null };
    const id = add("a @ web", { ...part, facts: { product: "Halyard", version: "1.9" } });
    add("b @ web", { ...part, facts: { product: "Halyard", version: "1.10" } });
    writeFact(db, id, "version", "1.10", AT - HOUR_MS);
    const now = softwarePage(db, { atMs: AT, product: "Halyard" });
    expect(now.versions).toEqual([{ product: "Halyard", version: "1.10", count: 2, hosts: 1, sinceMs: AT - DAY_MS }]);
    expect(now.places.map((one) => [one.name, one.sinceMs])).toEqual([
      ["a @ web", AT - HOUR_MS],
      ["b @ web", AT - DAY_MS],
    ]);
    const before = softwarePage(db, { atMs: AT - 2 * HOUR_MS, product: null });
    expect(before.versions.map((one) => [one.version, one.count])).toEqual([
      ["1.9", 1],
      ["1.10", 1],
    ]);
  });
  it("lists certificates, the one that ends first in front, and those that have ended before it", () => {
    const host = add("web");
    const part = { hostId: host, address: null, kind: "app.web", sourceId: null };
    const until = (day: string) => ({
      "certificate expires": day,
      "certificate for": "x.example",
      "TLS protocol": "TLSv1.3",
    });
    add("late @ web", { ...part, facts: until("2026-05-01") });
    add("gone @ web", { ...part, facts: until("2026-03-10") });
    expect(certificatesPage(db, { atMs: AT }).map((one) => [one.name, one.daysLeft])).toEqual([
      ["gone @ web", -8],
      ["late @ web", 44],
    ]);
  });
});
