import fc from "fast-check";
import { expect, it } from "vitest";
import { keptText } from "./text";

const anything = fc.string({ unit: fc.integer({ min: 0, max: 0xffff }).map((unit) => String.fromCharCode(unit)) });

it("is the same here and in UTF-8, whatever came, and no longer than asked", () => {
  fc.assert(
    fc.property(anything, fc.integer({ min: 1, max: 20 }), (text, most) => {
      const kept = keptText(text, most);
      expect(Buffer.from(kept, "utf8").toString("utf8")).toBe(kept);
      expect(kept.length).toBeLessThanOrEqual(most);
      expect(keptText(kept, most)).toBe(kept);
    }),
  );
});

it("leaves good text alone, and never halves a pair", () => {
  expect(keptText("Grüße 🚢", 20)).toBe("Grüße 🚢");
  expect(keptText("ab🚢", 3)).toBe("ab");
  expect(keptText("ab🚢", 4)).toBe("ab🚢");
  expect(keptText("a\ud800b", 9)).toBe("a\ufffdb");
});
