import { describe, expect, it } from "vitest";
import { EstateBook, type KnownRelation } from "./known";
import type { ObservedRelation } from "./observation";
import { planRelations } from "./relations";

const seen = (detail: string, changes: Partial<ObservedRelation> = {}): ObservedRelation => ({
  type: "wired-to",
  from: 1,
  to: 9,
  detail,
  connections: 0,
  seenBy: "",
  ...changes,
});
const known = (detail: string) =>
  new EstateBook([], [{ id: 5, type: "wired-to", fromId: 1, toId: 9, detail } as KnownRelation]);
const plan = (book: EstateBook, ...relations: ObservedRelation[]) =>
  planRelations(book, relations, () => false).map((one) => [one.relation.detail, one.id]);
const empty = new EstateBook([], []);

describe("relations that were seen", () => {
  it("are taken once, whoever said so twice", () => {
    expect(plan(empty, seen("port 1"), seen("port 1"), seen("port 1", { unlessKnown: true }))).toEqual([
      ["port 1", undefined],
    ]);
    expect(plan(empty, seen("port 1", { unlessKnown: true }), seen("port 1"))).toEqual([["port 1", undefined]]);
  });
  it("that only stand in for better knowledge are seen again, and step back for it", () => {
    expect(plan(known("port 1"), seen("port 1", { unlessKnown: true }))).toEqual([["port 1", 5]]);
    expect(plan(known("eth0"), seen("port 1", { unlessKnown: true }))).toEqual([]);
  });
});
