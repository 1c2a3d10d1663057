import { expect, test } from "vitest";
import type { Severity } from "../alarms/severity";
import { composite, compositeSettings } from "./composite";
import type { Standing } from "./detector";
import { stateCondition, stateProblem } from "./state-expression";

const thing = (
  alarms: readonly [rule: string, severity: Severity][] = [],
  figures: Readonly<Record<string, number>> = {},
  scores: Readonly<Record<string, number>> = {},
): Standing => ({
  name: "one",
  kind: "app.server",
  alarms: alarms.map(([rule, severity]) => ({ rule, metric: "cpu.used", instance: "", severity })),
  figure: (metric, instance) => figures[`${metric}${instance && ` ${instance}`}`] ?? Number.NaN,
  unusual: (metric) => scores[metric] ?? 0,
});
const holds = (text: string, own: Standing, members: readonly Standing[] = []) =>
  stateCondition(text)({ atMs: 0, own, members });

test("other rules' states and figures are combined", () => {
  const own = thing([["Host CPU", "major"]], { "memory.used": 91, "disk.used /srv": 40 });
  expect(holds('alarm("Host CPU") >= minor && figure("memory.used") > 90.0', own)).toBe(true);
  expect(holds('alarm("Host CPU") >= critical', own)).toBe(false);
  expect(holds('alarm("Nothing of the kind") > 0', own)).toBe(false);
  expect(holds("worst == major", own)).toBe(true);
  expect(holds('figure("disk.used", "/srv") > 30.0', own)).toBe(true);
  // What is not measured is neither above nor below.
  expect(holds('figure("nobody.measures") > 0.0 || figure("nobody.measures") <= 0.0', own)).toBe(false);
});

test("a limit alone, or together with how unusual the figure is", () => {
  const text = 'alarm("Host CPU") >= warning && unusual("cpu.used") >= 75.0';
  expect(holds(text, thing([["Host CPU", "warning"]], {}, { "cpu.used": 90 }))).toBe(true);
  expect(holds(text, thing([["Host CPU", "warning"]], {}, { "cpu.used": 60, "memory.used": 99 }))).toBe(false);
  expect(holds(text, thing([], {}, { "cpu.used": 90 }))).toBe(false);
  expect(holds(text, thing([["Host CPU", "warning"]]))).toBe(false);
});

test("at least k of n members", () => {
  const members = [
    thing([["Host CPU", "major"]], { "cpu.used": 97 }),
    thing([["Host memory", "minor"]], { "cpu.used": 60 }),
    thing([], { "cpu.used": 20 }),
  ];
  expect(holds("unwell(minor) >= 2", thing(), members)).toBe(true);
  expect(holds("unwell(major) >= 2", thing(), members)).toBe(false);
  expect(holds('unwell("Host CPU", minor) == 1', thing(), members)).toBe(true);
  expect(holds("unwell(warning) * 2 > members", thing(), members)).toBe(true);
  expect(holds('over("cpu.used", 50.0) == 2 && under("cpu.used", 50.0) == 1', thing(), members)).toBe(true);
});

test("what cannot be read is said; what cannot be worked out does not hold", () => {
  expect(stateProblem("unwell(minor) >= 2")).toBeUndefined();
  expect(stateProblem("unwell(minor")).toMatch(/not understood/);
  expect(stateProblem("nothing_known > 1")).toMatch(/not understood/);
  expect(stateProblem("members + 1")).toMatch(/true or false/);
  expect(stateProblem('alarm("x").matches("(a+)+$")')).toBeDefined();
  expect(holds("1 / members > 0", thing())).toBe(false);
  const wrong = compositeSettings.safeParse({ when: "unwell(" });
  expect(wrong.error?.issues[0]?.message).toMatch(/not understood/);
});

test("it has to hold for a while where that is asked, and ends at once", () => {
  const settings = compositeSettings.parse({ when: "unwell(minor) >= 1", minutes: 5, says: "Half of it is down" });
  const state = composite.fresh();
  const judge = (minute: number, members: readonly Standing[]) =>
    composite.evaluate(settings, state, { atMs: minute * 60_000, own: thing(), members }, { instance: "", unit: "" });
  const bad = [thing([["Host CPU", "major"]])];
  expect(judge(0, bad)).toBeUndefined();
  expect(judge(3, [])).toBeUndefined();
  expect(judge(4, bad)).toBeUndefined();
  expect(judge(8, bad)).toBeUndefined();
  expect(judge(9, bad)).toMatchObject({ severity: "minor", onsetMs: 240_000, text: "Half of it is down" });
  expect(judge(10, bad)).toBeUndefined();
  expect(judge(11, [])).toMatchObject({ severity: "cleared" });
});
