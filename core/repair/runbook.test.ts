import { execFileSync } from "node:child_process";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { quoteCommand } from "./quote";
import { checkArguments, commandLine, fillText, runbookSchema } from "./runbook";

const runbook = {
  uid: "restart-service",
  name: "Restart",
  purpose: "Restarts.",
  kinds: ["host.*"],
  parameters: [{ name: "process", label: "Process", pattern: "[a-z][a-z0-9-]*" }],
  steps: [{ type: "command", title: "Restart it", argv: ["service", "{{process}}", "restart"] }],
};

describe("command lines", () => {
  it("leave plain words as they are", () =>
    expect(commandLine(["service", "{{process}}", "restart"], { process: "manifest-parser" })).toBe(
      "service manifest-parser restart",
    ));
  it("never let an argument become more than one word", () =>
    expect(commandLine(["service", "{{process}}", "restart"], { process: "x; rm -rf / #" })).toBe(
      "service 'x; rm -rf / #' restart",
    ));
  it("reach a real shell's program exactly as given, whatever they are", () => {
    const word = fc.string({ unit: "binary", maxLength: 40 }).filter((text) => !text.includes("\0"));
    fc.assert(
      fc.property(fc.array(word, { minLength: 1, maxLength: 4 }), (words) => {
        const printed = execFileSync("/bin/sh", ["-c", quoteCommand(["printf", "%s\\0", ...words])]).toString("utf8");
        return printed === words.map((one) => `${Buffer.from(one, "utf8").toString("utf8")}\0`).join("");
      }),
      { numRuns: 60 },
    );
  });
  it("refuse a NUL", () => expect(() => quoteCommand(["a\0b"])).toThrow(/NUL/));
});

describe("runbooks", () => {
  it("are read with their usual values", () =>
    expect(runbookSchema.parse(runbook).steps[0]).toMatchObject({ timeoutSeconds: 60, accept: [0] }));
  it("must not use what is no parameter", () => {
    const result = runbookSchema.safeParse({ ...runbook, parameters: [] });
    expect(result.success ? "" : result.error.issues[0]?.message).toBe(
      "Step 1 uses {{process}}, which is not a parameter of this runbook.",
    );
  });
  it("check arguments as a whole", () => {
    const parsed = runbookSchema.parse(runbook);
    expect(checkArguments(parsed, { process: "manifest-parser" })).toBeUndefined();
    expect(checkArguments(parsed, {})).toContain("Process is missing");
    expect(checkArguments(parsed, { process: "ok\nevil" })).toContain("not allowed");
    expect(checkArguments(parsed, { process: "a".repeat(300) })).toContain("too long");
  });
  it("fill texts and leave what they do not know", () =>
    expect(fillText("{{ process }} and {{other}}", { process: "x" })).toBe("x and {{other}}"));
});
