import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { conditionProblem, holds, type ExpressionScope } from "./expression";
import { fillText, namesIn, unfilled } from "./fill";
import { fillAddress, fillBody } from "./steps/http";

const scope = (more: Partial<ExpressionScope> = {}): ExpressionScope => ({
  args: { process: "parser" },
  values: { count: 3, name: "x" },
  target: { name: "h-1" },
  figure: (metric) => (metric === "memory.used" ? 91.5 : Number.NaN),
  ...more,
});

describe("conditions", () => {
  it("speak of arguments, values, the target and figures", () => {
    expect(holds('args.process == "parser" && target.name == "h-1"', scope())).toBe(true);
    expect(holds('figure("memory.used") > 90', scope())).toBe(true);
    expect(holds('figure("nothing") > 0.0', scope())).toBe(false);
    expect(holds("values.count > 2", scope())).toBe(true);
    expect(
      holds("status == 200 && body.items.size() == 1", scope({ answer: { status: 200, body: { items: [1] } } })),
    ).toBe(true);
  });
  it("say what is wrong with them", () => {
    expect(conditionProblem("args.process ==")).toContain("not understood");
    expect(conditionProblem("nobody > 1")).toContain("nobody");
    expect(conditionProblem('"text"')).toContain("true or false");
    expect(conditionProblem('figure("memory.used") < 80.0')).toBeUndefined();
    expect(() => holds("values.missing == 1", scope())).toThrow("could not be worked out");
  });
});

describe("placeholders", () => {
  it("are filled once, and what was filled in is not looked through again", () => {
    expect(fillText("{{a}} {{ b }} {{c}}", { a: "{{b}}", b: "2" })).toBe("{{b}} 2 {{c}}");
    expect(namesIn("{{a}}{{target.name}}")).toEqual(["a", "target.name"]);
    expect(unfilled("{{a}}{{b}}", { a: "" })).toEqual(["b"]);
    expect(fillText("{{constructor}}", {})).toBe("{{constructor}}");
  });
  it("never leave the part of an address they stand in", () =>
    fc.assert(
      fc.property(fc.string({ unit: "grapheme", minLength: 1 }), (word) => {
        const url = new URL(fillAddress("https://door.example/pools/{{name}}/drain?to={{name}}", { name: word }));
        expect(url.host).toBe("door.example");
        expect(url.hash).toBe("");
        expect(url.searchParams.getAll("to")).toEqual([word]);
        // A path may be made shorter by dots alone; they are encoded as nothing else is, so they are checked on their own.
        if (!/^\.{1,2}$/.test(word)) expect(decodeURIComponent(url.pathname)).toBe(`/pools/${word}/drain`);
      }),
    ));
  it("never change the shape of a body", () =>
    fc.assert(
      fc.property(fc.string(), (word) => {
        const filled = JSON.parse(
          JSON.stringify(fillBody({ a: ["{{x}}", 1], b: { c: "{{x}}!" } }, { x: word })),
        ) as object;
        expect(filled).toEqual({ a: [word, 1], b: { c: `${word}!` } });
      }),
    ));
});
