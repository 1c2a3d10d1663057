import { expect, it } from "vitest";
import { percentOf } from "./percent-of";

it("is the share of a size, where that is known", () => {
  expect(percentOf(3, 12, "db.client.connection.max")).toBe(25);
  expect(percentOf(3, undefined, "db.client.connection.max")).toBeUndefined();
  expect(percentOf(3, Number.NaN, "db.client.connection.max")).toBeUndefined();
});

it("takes a pool that may hold none for exhausted, and any other size of zero for unknown", () => {
  expect(percentOf(0, 0, "db.client.connection.max")).toBe(100);
  expect(percentOf(0, 0, "memory.limit")).toBeUndefined();
});
