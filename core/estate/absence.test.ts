import { describe, expect, it } from "vitest";
import { planRelationAbsence } from "./absence";
import type { KnownRelation } from "./known";

const HOSTS: Readonly<Record<number, number>> = { 11: 1, 22: 2 };
const hostOf = (id: number) => HOSTS[id] ?? null;
const relation = (id: number, fromId: number, toId: number, detail = "tcp/8080"): KnownRelation =>
  ({ id, type: "talks-to", fromId, toId, detail, missed: 0, intermittent: false, lastSeenAt: 0 }) as KnownRelation;
const plan = (all: KnownRelation[], seen: number[], lookedAt: number[]) =>
  planRelationAbsence(all, new Set(lookedAt), new Set(seen), () => true, hostOf, 1).map((one) => [
    one.what,
    one.relation.id,
  ]);

describe("a relation that ends at a host for want of knowing whose it is", () => {
  const fine = relation(1, 11, 22);

  it("ends when either end is known, though only one side was looked at", () => {
    expect(plan([fine, relation(2, 1, 22)], [1], [1])).toEqual([["ended", 2]]);
    expect(plan([fine, relation(2, 11, 2)], [1], [2])).toEqual([["ended", 2]]);
    expect(plan([fine, relation(2, 1, 2)], [1], [])).toEqual([["ended", 2]]);
  });

  it("stays where it was seen itself, or is of another port", () => {
    expect(plan([fine, relation(2, 11, 2)], [1, 2], [1, 2])).toEqual([]);
    expect(plan([fine, relation(2, 11, 2, "tcp/22")], [1], [1])).toEqual([]);
  });

  it("is missed like any other where nothing better is known", () => {
    expect(plan([relation(2, 11, 2)], [], [11, 2])).toEqual([["missing", 2]]);
  });
});
