import { beforeEach, describe, expect, it } from "vitest";
import { useStore } from "../../tests/store";
import type { Db } from "./database";
import { differences } from "./differences";
import { insertComponent, retireComponent } from "./estate";
import { writeFact } from "./facts";
import { putLabel, takeLabel } from "./labels";
import { endRelation, insertRelation } from "./relations";

let db: Db;
useStore((made) => (db = made));
beforeEach(() => {
  db.exec(
    "DELETE FROM relation; DELETE FROM label; DELETE FROM fact; DELETE FROM component_key; DELETE FROM component",
  );
});
const add = (name: string, atMs: number, facts: Record<string, string> = {}) =>
  insertComponent(
    db,
    { kind: "host.linux", name, site: "S", sourceId: null, hostId: null, address: null, reason: "", keys: [], facts },
    atMs,
  );
const between = (fromMs: number, toMs: number, search = "") => {
  const { totals: _totals, ...found } = differences(db, { fromMs, toMs, search });
  return Object.fromEntries(
    Object.entries(found).flatMap(([what, rows]) =>
      rows.length
        ? [
            [
              what,
              rows.map((row) =>
                "before" in row
                  ? [row.component, row.name, row.before, row.after]
                  : "fromName" in row
                    ? [row.fromName, row.toName]
                    : row.name,
              ),
            ],
          ]
        : [],
    ),
  );
};

describe("differences of two instants", () => {
  it("are what came, what left, and what is said otherwise of what stayed", () => {
    const stays = add("stays", 10, { product: "a", rack: "1", noise: "x" });
    const goes = add("goes", 10, { product: "a" });
    add("passes", 110);
    retireComponent(db, 3, 120);
    const comes = add("comes", 130, { product: "a" });
    writeFact(db, stays, "product", "b", 140);
    writeFact(db, stays, "rack", undefined, 140);
    writeFact(db, stays, "memory", "8", 140);
    // What is back to what it was is no difference.
    writeFact(db, stays, "noise", "y", 140);
    writeFact(db, stays, "noise", "x", 150);
    retireComponent(db, goes, 160);
    expect(between(100, 200)).toEqual({
      came: ["comes"],
      left: ["goes"],
      facts: [
        ["stays", "memory", null, "8"],
        ["stays", "product", "a", "b"],
        ["stays", "rack", "1", null],
      ],
    });
    expect(comes).toBeGreaterThan(goes);
    expect(between(200, 300)).toEqual({});
    expect(between(100, 200, "com")).toEqual({ came: ["comes"] });
  });

  it("are relations and labels too, but none of what came or left with its end", () => {
    const [a, b, c] = [add("a", 10), add("b", 10), add("c", 150)];
    const seen = { type: "talks-to" as const, detail: "tcp/1", connections: 1, seenBy: "" };
    const old = insertRelation(db, { ...seen, fromId: a, toId: b }, 20);
    insertRelation(db, { ...seen, fromId: b, toId: a }, 120);
    insertRelation(db, { ...seen, fromId: a, toId: c }, 150);
    endRelation(db, old, 130);
    putLabel(db, [a], "tag", "one", "x", 20);
    putLabel(db, [a], "tag", "two", "x", 120);
    putLabel(db, [b], "owner", "Crew", "x", 20);
    takeLabel(db, [b], "owner", "Crew", 130);
    expect(between(100, 200)).toEqual({
      came: ["c"],
      labels: [
        ["a", "tag", "one", "one, two"],
        ["b", "owner", "Crew", null],
      ],
      joined: [["b", "a"]],
      parted: [["a", "b"]],
    });
  });
});
