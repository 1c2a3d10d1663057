import { describe, expect, it } from "vitest";
import { threshold } from "./threshold";
import { alarmsIn, replay } from "./replay";
import { readRule, scopeText } from "./rule";

const form = {
  name: "Busy",
  type: "threshold",
  scope: "kind:host.*",
  metric: "cpu.used",
  direction: "above",
  critical: "90",
  major: "",
  samples: "2",
  hysteresis: "4",
  memoryMinutes: "40",
  enabled: "on",
};

describe("a rule from a form", () => {
  it("has its scope, its settings and its state", () =>
    expect(readRule(form)).toMatchObject({
      ok: true,
      rule: {
        name: "Busy",
        type: "threshold",
        scope: { subject: "component", kind: "host.*" },
        enabled: true,
        settings: { critical: 90, samples: 2 },
      },
    }));
  it("can be about a service", () => {
    const read = readRule({ ...form, scope: "service:orders", enabled: undefined });
    expect(read).toMatchObject({
      ok: true,
      rule: { scope: { subject: "service", service: "orders" }, enabled: false },
    });
    expect(read.ok && scopeText(read.rule.scope)).toBe("service:orders");
  });
  it.each([
    [{ name: "" }, "name"],
    [{ scope: "everything" }, "scope"],
    [{ type: "reference" }, "type"],
    [{ critical: "many" }, "critical"],
    [{ critical: "" }, "critical"],
    [{ samples: "0" }, "samples"],
    [{ surprise: "1" }, "form"],
  ])("says which field is wrong: %o", (changes, field) => {
    const read = readRule({ ...form, ...changes });
    expect(read.ok ? [] : Object.keys(read.fields)).toContain(field);
  });
});

it("is replayed over the past: what it would have raised, and for how long", () => {
  const read = readRule(form);
  if (!read.ok) throw new Error("not read");
  const minutes = [50, 95, 95, 95, 50, 50, 95, 95, 95];
  const samples = {
    times: Float64Array.from(minutes, (_, index) => index * 60_000),
    values: Float64Array.from(minutes),
  };
  const verdicts = replay(threshold, read.rule.settings as never, samples, { instance: "", unit: "%" });
  expect(verdicts.map((one) => [one.atMs / 60_000, one.severity])).toEqual([
    [2, "critical"],
    [4, "cleared"],
    [7, "critical"],
  ]);
  expect(alarmsIn(verdicts, 8 * 60_000)).toEqual({ raised: 2, standingMs: 3 * 60_000 });
});
