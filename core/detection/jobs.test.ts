import { describe, expect, it } from "vitest";
import { scheduleOf, usualRun, type JobRun } from "../jobs/runs";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "../time/windows";
import { jobs, jobSettings } from "./jobs";

const START = Date.UTC(2026, 2, 2, 2, 30);
const past: JobRun[] = Array.from({ length: 8 }, (_none, index) => ({
  startedMs: START + index * DAY_MS,
  endedMs: START + index * DAY_MS + (40 + index) * MINUTE_MS,
  outcome: "done",
}));
const due = START + 8 * DAY_MS;
const judged = { instance: "month-end", unit: "" };

/** Judges at instants after the run of the night is due, one state for all of them. */
function judge(settings: object, runs: readonly JobRun[], ...minutes: number[]) {
  const own = jobSettings.parse(settings);
  const state = jobs.fresh();
  return minutes.map((after) => {
    const atMs = due + after * MINUTE_MS;
    const known = runs.filter((run) => run.startedMs <= atMs);
    const verdict = jobs.evaluate(
      own,
      state,
      {
        atMs,
        runs: known.map((run) =>
          run.endedMs !== null && run.endedMs > atMs ? { ...run, endedMs: null, outcome: "running" } : run,
        ),
        usual: usualRun(past),
        sinceMs: START,
        schedule: scheduleOf(known.map((run) => run.startedMs)),
      },
      judged,
    );
    return verdict ? `${verdict.severity}: ${verdict.text}` : undefined;
  });
}

describe("runs of jobs are judged", () => {
  it("that take twice as long as usual, until they are done", () => {
    const runs: JobRun[] = [...past, { startedMs: due, endedMs: due + 100 * MINUTE_MS, outcome: "done" }];
    expect(judge({ condition: "long" }, runs, 60, 87, 89, 95, 101)).toEqual([
      undefined,
      undefined,
      "minor: month-end has run for 1 h 29 min since 02:30, usually 44 min (8 runs)",
      undefined,
      "cleared: month-end is done: it took 1 h 40 min",
    ]);
  });

  it("that did not start when they were due, until they do", () => {
    const runs: JobRun[] = [...past, { startedMs: due + 50 * MINUTE_MS, endedMs: null, outcome: "running" }];
    expect(judge({ condition: "missing", minutes: 15 }, runs, 10, 16, 30, 51)).toEqual([
      undefined,
      "minor: month-end did not start: due at 02:30 (every day at 02:30 UTC), last started 1 d ago",
      undefined,
      "cleared: month-end started at 03:20",
    ]);
  });

  it("that were due before anybody could have been told of them are not missed", () => {
    const state = jobs.fresh();
    const settings = jobSettings.parse({ condition: "missing" });
    const schedule = scheduleOf(past.map((run) => run.startedMs));
    const input = { atMs: due + HOUR_MS, runs: past, usual: usualRun(past), schedule, sinceMs: due + MINUTE_MS };
    expect(jobs.evaluate(settings, state, input, judged)).toBeUndefined();
    // One that was told of before a restart of ours stands on.
    expect(jobs.evaluate(settings, jobs.fresh("minor"), input, judged)).toBeUndefined();
    expect(jobs.evaluate(settings, state, { ...input, sinceMs: due }, judged)?.severity).toBe("minor");
  });

  it("that did not start, and are waited for no longer after a day", () => {
    expect(judge({ condition: "missing", minutes: 15, forget: 2 }, past, 16, 121)[1]).toBe(
      "cleared: month-end is not waited for any longer",
    );
  });

  it("that failed, until one is done again", () => {
    const runs: JobRun[] = [
      ...past,
      { startedMs: due, endedMs: due + 3 * MINUTE_MS, outcome: "failed" },
      { startedMs: due + 30 * MINUTE_MS, endedMs: due + 70 * MINUTE_MS, outcome: "done" },
    ];
    expect(judge({ condition: "failed" }, runs, 1, 4, 31, 71)).toEqual([
      undefined,
      "minor: month-end failed at 02:33, 3 min after it started",
      undefined,
      "cleared: month-end is done: it took 40 min",
    ]);
  });

  it("that fail now and then and run often are told of only when it goes on", () => {
    const often = (outcomes: readonly ("done" | "failed")[]) =>
      outcomes.map((outcome, index): JobRun => {
        const startedMs = due + index * 10 * MINUTE_MS;
        return { startedMs, endedMs: startedMs + MINUTE_MS, outcome };
      });
    const at = (runs: readonly JobRun[], settings = {}) => {
      const atMs = (runs.at(-1)?.endedMs ?? 0) + MINUTE_MS;
      const input = { atMs, runs, usual: undefined, schedule: undefined, sinceMs: START };
      return jobs.evaluate(jobSettings.parse({ condition: "failed", ...settings }), jobs.fresh(), input, judged)
        ?.severity;
    };
    expect(at(often(["done", "done", "done", "failed"]))).toBeUndefined();
    expect(at(often(["done", "done", "failed", "failed"]))).toBe("minor");
    expect(at(often(["done", "done", "done", "failed"]), { inARow: 1 })).toBe("minor");
  });

  it("not at all where too little is known", () => {
    const state = jobs.fresh();
    const input = {
      atMs: due + 5 * HOUR_MS,
      runs: past.slice(0, 2),
      usual: undefined,
      schedule: undefined,
      sinceMs: START,
    };
    for (const condition of ["long", "missing", "failed"])
      expect(jobs.evaluate(jobSettings.parse({ condition }), state, input, judged)).toBeUndefined();
  });

  it("by rules that say in words what they do", () => {
    const words = (given: object) => jobs.describe(jobSettings.parse(given), "");
    expect(words({ condition: "long", times: 3, minutes: 5 })).toBe(
      "minor when a run of a job takes 3 times its median, and 5 min more than that",
    );
    expect(words({ condition: "missing", job: "night*", severity: "major" })).toBe(
      "major when a run of a job like night* did not start 10 min after it was due",
    );
    expect(words({ condition: "failed", as: "finding", inARow: 1 })).toBe("finding when a run of a job failed");
  });
});
