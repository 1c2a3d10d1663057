import fc from "fast-check";
import { expect, it } from "vitest";
import { fitsPattern } from "./pattern";

it.each([
  ["*-web-*", "nq-web-01", true],
  ["*-web-*", "nq-website", false],
  ["*-web-*", "web-", false],
  ["quaystore", "QuayStore", true],
  ["a*a", "a", false],
  ["a*b*b", "axb", false],
  ["a*b*b", "abxb", true],
  ["*", "anything", true],
])("pattern %s meets %s: %s", (pattern, name, expected) => expect(fitsPattern(pattern, name)).toBe(expected));

it("agrees with a regular expression of the same meaning", () => {
  const letters = fc.string({ unit: fc.constantFrom("a", "b", "-"), maxLength: 8 });
  fc.assert(
    fc.property(
      fc.array(letters, { minLength: 1, maxLength: 4 }),
      letters,
      (parts, name) => fitsPattern(parts.join("*"), name) === new RegExp(`^${parts.join(".*")}$`).test(name),
    ),
    { numRuns: 500 },
  );
});
