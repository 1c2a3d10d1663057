import fc from "fast-check";
import jsonata from "jsonata";
import { describe, expect, it } from "vitest";
import { compileExpression, ExpressionFailure } from "./expression";

describe("expressions", () => {
  it("plain paths give what the published language gives", async () => {
    const leaf = fc.oneof(fc.integer(), fc.string({ maxLength: 3 }), fc.boolean());
    const tree = fc.letrec<{ value: unknown }>((tie) => ({
      value: fc.oneof(
        { depthSize: "small", maxDepth: 4 },
        leaf,
        fc.dictionary(fc.constantFrom("a", "b", "c"), tie("value"), { maxKeys: 3 }),
        fc.array(tie("value"), { maxLength: 3 }),
      ),
    })).value;
    const path = fc.array(fc.constantFrom("a", "b", "c"), { minLength: 1, maxLength: 3 });
    await fc.assert(
      fc.asyncProperty(fc.dictionary(fc.constantFrom("a", "b", "c"), tree), path, async (value, names) => {
        const text = names.join(".");
        const theirs: unknown = await jsonata(text).evaluate(value);
        const ours = await compileExpression(text).of(value);
        // Where a list holds lists, the language flattens further than anybody's answers need it.
        if (JSON.stringify(value).includes("[[")) return;
        // One value and a list of it are the same to whoever reads them, as is nothing and an empty list.
        const list = (one: unknown) => JSON.stringify(one === undefined ? [] : Array.isArray(one) ? one : [one]);
        expect(list(ours)).toBe(list(theirs));
      }),
      { numRuns: 2000 },
    );
  });

  it("what is more than a path is evaluated", async () => {
    const tags = { tags: [{ k: "owner", v: "Yard" }] };
    expect(await compileExpression("tags{k: v}").of(tags)).toEqual({ owner: "Yard" });
    expect(await compileExpression("$count(tags) > 0").of(tags)).toBe(true);
  });

  it("one that never ends is ended", async () => {
    const loop = compileExpression("($f := function($n) { $f($n + 1) }; $f(1))");
    await expect(async () => loop.of({})).rejects.toThrow("does not come to an end");
    const still = compileExpression("($f := function($n) { 1 + $f($n + 1) }; $f(1))");
    await expect(async () => still.of({})).rejects.toThrow(ExpressionFailure);
  });

  it("several at once each have their own count, and none hides one that never ends", async () => {
    const odd = compileExpression("n = 0 ? ($f := function($n) { $f($n + 1) }; $f(1)) : $sum([1, 2, n])");
    const results = await Promise.allSettled(Array.from({ length: 200 }, async (_, n) => odd.of({ n: n % 50 })));
    expect(results.filter((one) => one.status === "rejected")).toHaveLength(4);
    expect(results[7]).toEqual({ status: "fulfilled", value: 10 });
  });

  it("what fills the memory or is no expression is refused", () => {
    expect(() => compileExpression("[1..9999999]")).toThrow("uses “..”");
    expect(() => compileExpression('$pad("x", 1000000000)')).toThrow("uses “$pad”");
    expect(() => compileExpression("a.(")).toThrow("is no expression");
    expect(() => compileExpression("x".repeat(3000))).toThrow("at most 2000 characters");
  });

  it("names of the object's own machinery lead nowhere", () => {
    expect(compileExpression("constructor.name").of({ a: 1 })).toBeUndefined();
  });
});
