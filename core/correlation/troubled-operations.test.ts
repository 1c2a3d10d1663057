import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { troubledAmong, troubledReason, type OperationSeen } from "./troubled-operations";

const seen = (name: string, calls: number, bad: number, usualCalls = 1000, usualBad = 10): OperationSeen => ({
  name,
  calls,
  bad,
  usualCalls,
  usualBad,
});

describe("operations that go badly while others go as usual", () => {
  it("are told from those", () => {
    const found = troubledAmong([seen("GET /papers", 80, 61), seen("POST /checks", 200, 3)]);
    expect(found?.troubled.map((one) => one.name)).toEqual(["GET /papers"]);
    expect(found && troubledReason(found)).toBe(
      "only GET /papers is affected: 61 of 80 calls failed or were slow (usually 1 in 100); POST /checks is as usual",
    );
  });
  it("are told together, the worst first", () => {
    const found = troubledAmong([seen("a", 100, 20), seen("b", 100, 60), seen("c", 100, 1), seen("d", 100, 2)]);
    expect(found && troubledReason(found)).toBe(
      "only 2 operations are affected, b most: 60 of 100 calls failed or were slow (usually 1 in 100); the 2 others are as usual",
    );
  });
  it("are not told where all go badly, none does, or one stands between", () => {
    expect(troubledAmong([seen("a", 100, 20), seen("b", 100, 60)])).toBeUndefined();
    expect(troubledAmong([seen("a", 100, 1), seen("b", 100, 2)])).toBeUndefined();
    expect(troubledAmong([seen("a", 100, 60), seen("b", 100, 2), seen("c", 100, 9)])).toBeUndefined();
  });
  it("are not told from what was hardly called, or goes badly by habit", () => {
    expect(troubledAmong([seen("a", 9, 9), seen("b", 100, 1)])).toBeUndefined();
    expect(troubledAmong([seen("a", 100, 60, 9, 0), seen("b", 100, 1)])).toBeUndefined();
    expect(troubledAmong([seen("a", 100, 40, 1000, 300), seen("b", 100, 1)])).toBeUndefined();
  });
  it("are the same in whatever order they are seen, and never more than there are", () => {
    const one = fc.record({
      name: fc.string(),
      calls: fc.nat(300),
      bad: fc.nat(300),
      usualCalls: fc.nat(300),
      usualBad: fc.nat(300),
    });
    fc.assert(
      fc.property(fc.array(one, { maxLength: 8 }), (list) => {
        const given = list.map((each) => ({ ...each, bad: Math.min(each.bad, each.calls) }));
        const names = (found: ReturnType<typeof troubledAmong>) =>
          found && found.troubled.map((each) => each.name).sort();
        expect(names(troubledAmong(given.toReversed()))).toEqual(names(troubledAmong(given)));
        const found = troubledAmong(given);
        if (found) expect(found.troubled.length + found.well.length).toBeLessThanOrEqual(given.length);
      }),
    );
  });
});
