import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { canonical, differences, partStanding, whatToDo } from "./difference";

describe("differences", () => {
  it("are told field by field, in words", () => {
    const before = {
      leastPercent: 60,
      alarms: ["calls.*"],
      limits: { mostHurt: 0 },
      steps: [{ title: "a" }],
      isOn: true,
    };
    const after = {
      leastPercent: 40,
      alarms: ["calls.*", "cpu.*"],
      limits: { mostHurt: 0, tries: 2 },
      steps: [{ title: "b" }],
      isOn: false,
    };
    expect(differences(before, after)).toEqual([
      { field: "least percent", before: "60", after: "40" },
      { field: "alarms", before: "calls.*", after: "calls.*, cpu.*" },
      { field: "steps › 1 › title", before: "a", after: "b" },
      { field: "is on", before: "yes", after: "no" },
      { field: "limits › tries", before: "not said", after: "2" },
    ]);
  });

  it("are none exactly where two values are equal, whatever the order of fields", () => {
    const value = fc.object({ values: [fc.integer(), fc.boolean(), fc.string({ minLength: 1 })], maxDepth: 2 });
    fc.assert(
      fc.property(value, (one) => {
        const turned = Object.fromEntries(Object.entries(one).reverse());
        return canonical(turned) === canonical(one) && differences(one, turned).length === 0;
      }),
    );
    const numbers = fc.dictionary(fc.constantFrom("warn", "major", "minor"), fc.integer());
    fc.assert(
      fc.property(
        numbers,
        numbers,
        (a, b) => differences({ x: a }, { x: b }).length > 0 === (canonical(a) !== canonical(b)),
      ),
    );
  });
});

describe("a part of a kit", () => {
  const [first, second, mine] = [{ warn: 80 }, { warn: 85 }, { warn: 70 }];
  it("stands as in the kit, changed here, or changed in both", () => {
    expect(partStanding(first, first, first)).toBe("same");
    expect(partStanding(first, first, mine)).toBe("own");
    expect(partStanding(first, second, mine)).toBe("newer");
    expect(partStanding(first, second, undefined)).toBe("removed");
    // Somebody changed it to just what the kit says by now.
    expect(partStanding(first, second, second)).toBe("same");
  });
  it("follows the kit while nobody changed it, is put in once, and is nobody's to overwrite", () => {
    expect(whatToDo(undefined, first, undefined)).toBe("put in");
    expect(whatToDo(undefined, first, mine)).toBe("leave");
    expect(whatToDo(first, second, first)).toBe("follow");
    expect(whatToDo(first, first, first)).toBe("leave");
    expect(whatToDo(first, second, mine)).toBe("leave");
    expect(whatToDo(first, second, undefined)).toBe("leave");
  });
});
