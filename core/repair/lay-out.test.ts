import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { forTargets, LayoutError, layOut, MOST_TARGETS, type LayWorld } from "./lay-out";
import { runbookSchema, type Runbook } from "./runbook";

const note = (text: string) => ({ type: "note", title: text, text });
const runbook = (steps: unknown[], more: object = {}): Runbook =>
  runbookSchema.parse({ uid: "outer", name: "Outer", purpose: "Tests.", kinds: ["host.*"], steps, ...more });
const world = (more: Partial<LayWorld> = {}): LayWorld => ({
  runbook: () => undefined,
  over: () => [1, 2, 3],
  wordsOf: (id) => ({ "target.name": `h-${id}` }),
  ...more,
});

describe("laying out", () => {
  it("puts what holds before what it holds, each with its target's words", () => {
    const laid = layOut(
      runbook([
        note("first"),
        { type: "each", title: "each", over: "set", steps: [note("on {{target.name}}")] },
        note("last"),
      ]),
      1,
      {},
      world(),
    );
    expect(laid.map((one) => [one.position, one.parent, one.branch, one.targetId, one.words["target.name"]])).toEqual([
      [0, null, "", 1, "h-1"],
      [1, null, "", 1, "h-1"],
      [2, 1, "each", 1, "h-1"],
      [3, 1, "each", 2, "h-2"],
      [4, 1, "each", 3, "h-3"],
      [5, null, "", 1, "h-1"],
    ]);
  });
  it("unfolds another runbook with its own arguments, checked by its own patterns", () => {
    const inner = runbook([note("do {{process}}")], {
      uid: "inner",
      parameters: [{ name: "process", label: "Process", pattern: "[a-z]+" }],
    });
    const outer = runbook([{ type: "runbook", title: "call", runbook: "inner", args: { process: "{{name}}" } }], {
      parameters: [{ name: "name", label: "Name" }],
    });
    const laid = layOut(outer, 1, { name: "web" }, world({ runbook: () => inner }));
    expect(laid[1]).toMatchObject({ parent: 0, branch: "inner", words: { process: "web" } });
    expect(() => layOut(outer, 1, { name: "web; rm" }, world({ runbook: () => inner }))).toThrow(/not allowed here/);
  });
  it("refuses a runbook that calls itself, directly or through another, and one that is not there", () => {
    const a = runbook([{ type: "runbook", title: "b", runbook: "bb" }], { uid: "aa" });
    const b = runbook([{ type: "runbook", title: "a", runbook: "aa" }], { uid: "bb" });
    const known = world({ runbook: (uid) => ({ aa: a, bb: b })[uid] });
    expect(() => layOut(a, 1, {}, known)).toThrow("aa calls bb calls aa: a runbook cannot call itself.");
    expect(() => layOut(a, 1, {}, world())).toThrow("which is not approved here");
  });
  it("refuses what targets nothing, and what targets everything", () => {
    const one = runbook([{ type: "each", title: "all of them", over: "set", steps: [note("x")] }]);
    expect(() => layOut(one, 1, {}, world({ over: () => [] }))).toThrow("has nothing to go over");
    const many = Array.from({ length: MOST_TARGETS + 1 }, (_, index) => index + 1);
    expect(() => layOut(one, 1, {}, world({ over: () => many }))).toThrow(`at most ${MOST_TARGETS} at once`);
  });
  it("refuses to grow without a bound", () => {
    const steps = Array.from({ length: 40 }, (_, index) => note(`n${index}`));
    const one = runbook([{ type: "each", title: "all", over: "set", steps }]);
    const many = Array.from({ length: 400 }, (_, index) => index + 1);
    expect(() => layOut(one, 1, {}, world({ over: () => many }))).toThrow(LayoutError);
  });
  it("of several targets takes each once, so many at a time", () => {
    const laid = layOut(forTargets(runbook([note("x")]), 20, 10), 1, {}, world({ over: () => [1, 2, 2, 3] }));
    expect(laid.filter((one) => one.parent === 0).map((one) => one.targetId)).toEqual([1, 2, 3]);
    expect(laid[0]?.step).toMatchObject({ type: "each", atOnce: 20, failedPercent: 10 });
  });
  it("always ends, with every parent before its children, whatever steps there are", () => {
    const step: fc.Arbitrary<object> = fc.letrec((tie) => ({
      step: fc.oneof(
        { depthSize: "small", maxDepth: 3 },
        fc.constant(note("n")),
        fc.record({
          type: fc.constant("choose"),
          title: fc.constant("c"),
          if: fc.constant("true"),
          do: fc.array(tie("step"), { minLength: 1, maxLength: 2 }),
          otherwise: fc.array(tie("step"), { maxLength: 2 }),
        }),
        fc.record({
          type: fc.constant("each"),
          title: fc.constant("e"),
          steps: fc.array(tie("step"), { minLength: 1, maxLength: 2 }),
        }),
      ),
    })).step as fc.Arbitrary<object>;
    fc.assert(
      fc.property(fc.array(step, { minLength: 1, maxLength: 4 }), (steps) => {
        const laid = layOut(runbook(steps), 1, {}, world());
        expect(laid.every((one, index) => one.position === index && (one.parent ?? -1) < index)).toBe(true);
      }),
      { numRuns: 100 },
    );
  });
});
