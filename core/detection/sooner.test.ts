import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { bestIdeas, edgeOfPeace, soonerRules, type RuleIdea } from "./sooner";

const peace = Array.from({ length: 2000 }, (_, index) => 40 + (index % 10));

describe("rules that would have told sooner", () => {
  it("begin just past what a figure keeps within in peace", () => {
    expect(edgeOfPeace(peace, "above")).toBe(49);
    expect(edgeOfPeace(peace, "below")).toBe(40);
    const limits = soonerRules({ metric: "memory.used", direction: "above", peace, worst: 95 })
      .filter((one) => one.type === "threshold")
      .map((one) => Number(one.settings.warning));
    expect(limits).toEqual([55.9, 55.9, 67.4, 67.4]);
  });

  it("are none of fixed limits where it went no further than in peace, or little is known", () => {
    const types = (more: object) =>
      soonerRules({ metric: "m", direction: "above", peace, worst: 95, ...more }).map((one) => one.type);
    expect(types({ worst: 45 })).toEqual(["usual", "usual"]);
    expect(types({ peace: peace.slice(0, 50) })).toEqual(["usual", "usual"]);
  });

  it("lie between peace and the worst, whichever way is wrong", () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 1, max: 1e6, noNaN: true }), { minLength: 100, maxLength: 300 }),
        fc.double({ min: 1, max: 1e7, noNaN: true }),
        fc.constantFrom("above" as const, "below" as const),
        (values, worst, direction) => {
          const edge = edgeOfPeace(values, direction);
          for (const { type, settings } of soonerRules({ metric: "m", direction, peace: values, worst })) {
            if (type !== "threshold") continue;
            const limit = Number(settings.warning);
            const room = Math.max(Math.abs(edge), Math.abs(worst)) * 0.01;
            expect(limit).toBeGreaterThanOrEqual(Math.min(edge, worst) - room);
            expect(limit).toBeLessThanOrEqual(Math.max(edge, worst) + room);
          }
        },
      ),
    );
  });

  it("are offered by what they gain and what they cost", () => {
    const idea = (what: string): RuleIdea => ({ type: "usual", what, settings: {} });
    const tried = [
      { idea: idea("late"), soonerMs: 10_000, others: 0 },
      { idea: idea("quiet"), soonerMs: 120_000, others: 0 },
      { idea: idea("noisy"), soonerMs: 180_000, others: 140 },
      { idea: idea("soon"), soonerMs: 300_000, others: 14 },
    ];
    expect(bestIdeas(tried, 2, 14).map((one) => one.idea.what)).toEqual(["soon", "quiet"]);
  });
});
