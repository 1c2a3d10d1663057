import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { copiesWanted, scale, scaleStep } from "./scale";

const step = (more: object = {}) => scaleStep.parse({ type: "scale", title: "Scale", to: "+1", ...more });

describe("how many copies are wanted", () => {
  it.each([
    ["4", 2, { copies: 4 }],
    ["+2", 2, { copies: 4 }],
    ["-1", 2, { copies: 1 }],
    [" 3 ", 9, { copies: 3 }],
    ["-2", 2, { problem: "0 copies are fewer than 1, so it was left at 2." }],
    ["21", 2, { problem: "21 copies are more than 20, so it was left at 2." }],
    ["many", 2, { problem: "“many” is no number of copies. Write 4, +1 or -1." }],
    ["1e3", 2, { problem: "“1e3” is no number of copies. Write 4, +1 or -1." }],
    ["{{copies}}", 2, { copies: 7 }],
    [
      "{{values.copies_before}}",
      2,
      { problem: "“{{values.copies_before}}” is no number of copies. Write 4, +1 or -1." },
    ],
  ])("%s of %d", (to, now, wanted) => expect(copiesWanted(step({ to }), now, { copies: "7" })).toEqual(wanted));

  it("is within its bounds whatever is asked", () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 8 }), fc.nat(2000), fc.nat(50), fc.nat(50), (text, now, a, b) => {
        const [least, most] = [Math.min(a, b), Math.max(a, b)];
        const wanted = copiesWanted({ to: "{{n}}", least, most }, now, { n: text });
        if ("copies" in wanted) {
          expect(wanted.copies).toBeGreaterThanOrEqual(least);
          expect(wanted.copies).toBeLessThanOrEqual(most);
        } else expect(wanted.problem).toMatch(/\.$/);
      }),
    );
  });

  it("is refused when it is written where it can never be", () => {
    expect(scale.problems(step({ to: "many" }))).toHaveLength(1);
    expect(scale.problems(step({ least: 5, most: 4 }))).toEqual(["At least is more than at most."]);
    expect(scale.problems(step({ to: "{{copies}}", undo: { type: "scale", to: "{{values.copies_before}}" } }))).toEqual(
      [],
    );
  });
});
