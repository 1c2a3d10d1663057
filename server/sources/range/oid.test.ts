import fc from "fast-check";
import { expect, it } from "vitest";
import { comesAfter } from "./oid";

it.each([
  ["1.3.6.2", "1.3.6.1", true],
  ["1.3.6.1", "1.3.6.1", false],
  ["1.3.6.1.0", "1.3.6.1", true],
  ["1.3.6.1", "1.3.6.1.0", false],
  ["1.3.10", "1.3.9.9", true],
  ["1.3.9.9", "1.3.10", false],
  ["nonsense", "1.3", false],
])("%s comes after %s: %s", (oid, before, after) => expect(comesAfter(oid, before)).toBe(after));

it("is an order: of two that differ exactly one comes after the other", () => {
  const oid = fc.array(fc.nat(300), { minLength: 1, maxLength: 8 }).map((parts) => parts.join("."));
  fc.assert(
    fc.property(oid, oid, (one, other) => {
      expect(comesAfter(one, other) !== comesAfter(other, one)).toBe(one !== other);
    }),
  );
});
