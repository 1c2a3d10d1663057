import { describe, expect, it } from "vitest";
import { argumentsOf, belowLevel, fits, policySchema, summaryOfTrials, type CauseFacts } from "./policy";
import { proofOf, wayBack, type WatchedFigure } from "./proof";

const policy = (more: object = {}) =>
  policySchema.parse({
    name: "Restart what leaks",
    causeKinds: ["host.linux", "app.*"],
    alarms: ["memory.*"],
    runbook: "restart-process",
    args: { process: "{{cause.process}}" },
    ...more,
  });
const cause: CauseFacts = {
  kind: "app.process",
  name: "parser @ h-1",
  site: "North",
  probability: 0.5,
  hostProbability: 0.8,
  steadyMs: 60_000,
  hostSteadyMs: 60_000,
  alarms: ["memory.used"],
  elsewhere: ["memory.used", "calls.slow"],
  changes: [],
  services: ["orders"],
  words: { "cause.process": "parser" },
};
const why = (more: object, facts: Partial<CauseFacts> = {}) => fits(policy(more), { ...cause, ...facts }).words;

describe("a policy", () => {
  it("is for a cause of its kinds, in alarm for one of its metrics, likely enough", () => {
    expect(fits(policy({ leastPercent: 50 }), cause)).toEqual({
      fits: true,
      words: "parser @ h-1 is the likeliest cause with 50 %, memory.* in alarm",
    });
    expect(argumentsOf(policy(), cause)).toEqual({ process: "parser" });
  });
  it.each([
    ["The policy is off", { isOn: false }, {}],
    ["a net.switch", {}, { kind: "net.switch" }],
    ["None of memory.* is in alarm", {}, { alarms: ["cpu.used"] }],
    ["None of messaging.* is in alarm in the incident", { anywhere: ["messaging.*"] }, {}],
    ["reachable is in alarm", { without: ["reachable"] }, { alarms: ["memory.used", "reachable"] }],
    ["No deployment came", { after: "deployment" }, {}],
    ["none of its services", { services: ["billing"] }, {}],
    ["is at North", { sites: ["South"] }, {}],
    ["with 50 % only; at least 60 %", {}, {}],
    ["hurts no service", { leastPercent: 1 }, { services: [] }],
    ["for 10 s only", { leastPercent: 1 }, { steadyMs: 10_000 }],
    ["not known what cause.process is", { leastPercent: 1 }, { words: {} }],
  ] as [string, object, Partial<CauseFacts>][])("is not, and says so: %s", (words, more, facts) => {
    expect(fits(policy(more), { ...cause, ...facts }).fits).toBe(false);
    expect(why(more, facts)).toContain(words);
  });
  it("may count together what is likely on one host, and for how long", () => {
    expect(fits(policy({ countsHost: true }), cause).fits).toBe(true);
    expect(fits(policy({ countsHost: true }), { ...cause, steadyMs: 5000 }).fits).toBe(true);
    expect(fits(policy({ countsHost: true }), { ...cause, hostSteadyMs: 5000 }).words).toContain("for 5 s only");
  });
  it("is trusted one step less after a failure, and never less than not at all", () => {
    expect(belowLevel("automatic")).toBe("approve");
    expect(belowLevel("watch")).toBe("watch");
  });
  it("is summed up over the past", () =>
    expect(
      summaryOfTrials(
        [true, true, false, null].map((agreed, incidentId) => ({ incidentId, componentName: "x", agreed })),
      ),
    ).toEqual({ acts: 4, same: 2, other: 1, open: 1 }));
});

const figure = (more: Partial<WatchedFigure> = {}): WatchedFigure => ({
  name: "Memory usage of h-1",
  unit: "%",
  direction: "above",
  usual: 50,
  before: 95,
  after: [],
  cleared: false,
  ...more,
});
/** An alarm that stands on calls, and how those went that began since. */
const calls = (count: number, bad: number, isEased: boolean) =>
  figure({
    name: "Failing calls of h-1",
    before: Number.NaN,
    usual: Number.NaN,
    since: { calls: count, bad, isEased },
  });
const judged = (figures: WatchedFigure[], elapsedMs = 120_000, newAlarms: string[] = []) =>
  proofOf({ figures, newAlarms, elapsedMs, watchMs: 120_000 });

describe("a proof", () => {
  it("is told by how far figures came back to their usual", () => {
    expect(wayBack(figure({ after: [50, 50, 50] }))).toBe(1);
    expect(wayBack(figure({ after: [95] }))).toBeCloseTo(0);
    expect(wayBack(figure({ direction: "below", usual: 100, before: 20, after: [60] }))).toBe(0.5);
    expect(wayBack(figure())).toBeNaN();
  });
  it.each([
    ["proved", [figure({ after: [52, 51, 52] })], 30_000],
    ["proved", [figure({ cleared: true })], 10_000],
    ["watching", [figure({ after: [52] })], 30_000],
    ["watching", [figure({ after: [95, 95, 95] })], 30_000],
    ["eased", [figure({ after: [75, 75, 75] })], 120_000],
    ["no effect", [figure({ after: [94, 95, 94] })], 120_000],
    ["no effect", [figure({ before: Number.NaN, usual: Number.NaN })], 120_000],
    ["worse", [figure({ after: [99, 120, 130] })], 120_000],
    ["not measured", [], 120_000],
    ["proved", [calls(40, 1, true)], 90_000],
    ["watching", [calls(40, 12, false)], 90_000],
    ["no effect", [calls(40, 12, false)], 120_000],
  ] as [string, WatchedFigure[], number][])("%s", (proof, figures, elapsedMs) =>
    expect(judged(figures, elapsedMs).proof).toBe(proof),
  );
  it("waits for all of them, and new alarms on the target make it worse", () => {
    expect(judged([figure({ cleared: true }), figure({ after: [95, 95, 95] })], 30_000).proof).toBe("watching");
    expect(judged([figure({ cleared: true })], 120_000, ["Not responding of h-1"])).toMatchObject({
      proof: "worse",
      words: expect.stringContaining("Not responding of h-1 was raised"),
    });
  });
  it("is spoken for by what shows the same trouble there, where it was not measured since", () => {
    const back = figure({ after: [52, 51], shows: "h-1 clock" });
    const silent = figure({ shows: "h-1 clock" });
    expect(judged([back, silent], 30_000).proof).toBe("watching");
    expect(judged([back, silent], 70_000).proof).toBe("proved");
    // By as many at least, of the same, and by none that is not well.
    expect(judged([back, silent, silent], 70_000).proof).toBe("watching");
    expect(judged([back, { ...silent, shows: "h-1 slow" }], 70_000).proof).toBe("watching");
    expect(judged([back, back, silent, figure({ after: [95, 95], shows: "h-1 clock" })], 70_000).proof).toBe(
      "watching",
    );
    expect(judged([figure({ after: [52, 51] }), figure()], 70_000).proof).toBe("watching");
  });
  it("is spoken for by all that shows the same trouble of what was hurt by it, where nobody asked it often enough", () => {
    const silent = figure({ shows: "h-1 failing", trouble: "failing" });
    const caller = { ...calls(160, 1, true), name: "Failing calls of h-2", trouble: "failing" };
    const told = (witnesses: WatchedFigure[], elapsedMs = 70_000, figures = [silent]) =>
      proofOf({ figures, witnesses, newAlarms: [], elapsedMs, watchMs: 120_000 });
    expect(told([caller])).toEqual({
      proof: "proved",
      words: "After 1 min 10 s Failing calls of h-2: 1 of 160 calls since.",
    });
    expect(told([caller], 30_000).proof).toBe("watching");
    expect(told([]).proof).toBe("watching");
    expect(told([{ ...caller, trouble: "slow" }]).proof).toBe("watching");
    expect(told([caller, { ...calls(90, 40, false), trouble: "failing" }]).proof).toBe("watching");
    // What was measured speaks for itself.
    expect(told([caller], 120_000, [{ ...calls(40, 12, false), shows: "h-1 failing", trouble: "failing" }]).proof).toBe(
      "no effect",
    );
  });
  it("says how calls went since", () =>
    expect(judged([calls(40, 12, false)]).words).toBe("After 2 min Failing calls of h-1: 12 of 40 calls since."));
  it("says the figures", () =>
    expect(judged([figure({ after: [94, 95, 93] })]).words).toBe(
      "After 2 min Memory usage of h-1 is 94.0 % (95.0 % before, usually 50.0 %).",
    ));
});
