import { readFileSync, readdirSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { draftOf, moved, newStep, stepsAt, textOf, withSteps } from "./edit";
import { fieldText, fieldValue, stepFields } from "./step-fields";
import { runbookSchema } from "./runbook";
import { STEP_KINDS, type StepType } from "./steps/registry";
import { differenceOf, readRunbook, runbookText } from "./text";

const kits = readdirSync("kits").flatMap(
  (name) => (JSON.parse(readFileSync(`kits/${name}`, "utf8")) as { runbooks: unknown[] }).runbooks,
);
const text = `uid: mend
name: Mend it
purpose: Mends.
kinds: [host.linux]
parameters:
  - { name: process, label: Process }
steps:
  - type: command
    title: Restart it
    argv: [service, "{{process}}", restart]
    undo: { type: command, argv: [service, "{{process}}", start] }
`;
const problemsOf = (changed: string) => {
  const read = readRunbook(changed);
  return read.ok ? [] : read.problems;
};

describe("a runbook as text", () => {
  it("comes back as it was, every one of the kits too", () => {
    for (const one of [...kits, { ...runbookSchema.parse((draftOf(text) as object) ?? {}) }]) {
      const runbook = runbookSchema.parse(one);
      expect(readRunbook(runbookText(runbook))).toEqual({ ok: true, runbook });
    }
  });
  it("says on which line what is wrong", () => {
    expect(problemsOf(text.replace("argv:", "words:"))[0]).toMatchObject({ line: 8 });
    expect(problemsOf(text.replace("{{process}}", "{{nobody}}"))[0]).toEqual({
      line: 8,
      message: "Step 1 uses {{nobody}}, which is not a parameter of this runbook.",
    });
    expect(problemsOf(`${text}\n  - oops: [`)[0]?.line).toBeGreaterThan(11);
    expect(problemsOf(text.replace("name: Mend it\n", ""))[0]?.message).toContain("name");
  });
  it("takes no aliases, no second key of one name, and no more than fits", () => {
    expect(problemsOf(`a: &x [1]\nb: *x\n`)[0]?.message).toContain("Aliases");
    expect(problemsOf(`${text}name: Again\n`)[0]?.message).toMatch(/unique/i);
    expect(problemsOf("x".repeat(100_001))[0]?.message).toContain("at most");
  });
  it("shows what a version changed", () => {
    const before = runbookSchema.parse(draftOf(text));
    const after = { ...before, purpose: "Mends it well." };
    expect(differenceOf(before, after)).toEqual(
      expect.arrayContaining(["-purpose: Mends.", "+purpose: Mends it well."]),
    );
  });
});

describe("steps that are written", () => {
  it("refuse shell, SQL and template tricks where they stand", () => {
    const step = (one: object) =>
      runbookSchema.safeParse({ ...(draftOf(text) as object), steps: [{ title: "x", ...one }] }).error?.issues[0]
        ?.message;
    expect(
      step({ type: "sql", credential: "c", database: "d", statement: "DELETE FROM t WHERE a = '{{process}}'" }),
    ).toContain("bind {{name}}");
    expect(step({ type: "check", condition: "figure('a') >" })).toContain("not understood");
    expect(step({ type: "check", condition: 'args.process.matches("(a+)+$")' })).toContain("matches");
    expect(step({ type: "choose", if: "1 + 1", do: [{ type: "note", title: "n", text: "n" }] })).toContain(
      "true or false",
    );
    expect(step({ type: "http", url: "https://a.example/", take: { x: "$[?search(@.a, '(a+)+$')]" } })).toContain(
      "search()",
    );
    expect(step({ type: "http", url: "file:///etc/passwd" })).toContain("https://");
    expect(step({ type: "command", argv: ["x"], as: "root; id" })).toContain("small letters");
    expect(step({ type: "wait", seconds: 1e9 })).toContain("at most an hour");
    expect(step({ type: "script", text: "rm -rf /" })).toContain("#!/bin/sh");
  });
  it("have a form made from their schema, and its texts stand for the same values", () => {
    for (const type of STEP_KINDS.map((kind) => kind.type as StepType)) {
      const fields = stepFields(type);
      expect(fields.map((one) => one.name)).toContain("title");
      const step = newStep(type);
      for (const field of fields)
        if (step[field.name] !== undefined)
          expect(fieldValue(field, fieldText(field, step[field.name]))).toEqual(
            step[field.name] === "" ? undefined : step[field.name],
          );
    }
    expect(fieldValue({ name: "x", label: "", type: "json", unit: "", choices: [], optional: true }, "{oops")).toBe(
      "{oops",
    );
  });
  it("are moved, added and taken away in the text, however deep", () => {
    const draft = draftOf(text) as Record<string, unknown>;
    const two = withSteps(draft, ["steps"], [newStep("choose"), ...stepsAt(draft, ["steps"])]);
    const deep = withSteps(two, ["steps", 0, "do"], [newStep("wait"), newStep("note")]);
    expect(stepsAt(deep, ["steps", 0, "do"]).map((one) => one.type)).toEqual(["wait", "note"]);
    expect(stepsAt(draft, ["steps"])).toHaveLength(1);
    expect(moved(["a", "b", "c"], 0, 2)).toEqual(["b", "c", "a"]);
    expect(readRunbook(textOf(deep)).ok).toBe(true);
  });
});
