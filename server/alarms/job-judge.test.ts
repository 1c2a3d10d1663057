import { beforeEach, describe, expect, it } from "vitest";
import { jobSettings } from "#core/detection/jobs";
import { jobWordsSchema } from "#core/jobs/words";
import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { emptyEstate, useStore } from "../../tests/store";
import { JobRuns } from "../ingest/job-runs";
import { SampleWriter } from "../ingest/sample-writer";
import { jobPreview } from "../pages/job-preview";
import { jobsPage } from "../pages/jobs";
import { activeAlarms, saveRule } from "../store/alarms";
import type { Db } from "../store/database";
import { insertComponent } from "../store/estate";
import { listJobs, noteRun, runsOf, saveJobWords } from "../store/jobs";
import { LogWriter } from "../store/log-writer";
import { detectorOf } from "#core/detection/registry";
import type { JobDetector } from "#core/detection/detector";
import { AlarmBook } from "./alarm-book";
import { JobJudge } from "./job-judge";

const NIGHT = Date.parse("2026-03-03T02:30:00Z");
let db: Db;
useStore((made) => (db = made));
let host: number;
const words = jobWordsSchema.parse({ begins: "Job {job} begun", ends: "Job {job} done", fails: "Job {job} failed" });

beforeEach(() => {
  emptyEstate(db);
  db.exec("DELETE FROM alarm; DELETE FROM rule; DELETE FROM job_run; DELETE FROM job; DELETE FROM job_words");
  host = insertComponent(
    db,
    {
      kind: "app.process",
      name: "monthend",
      site: "",
      sourceId: null,
      hostId: null,
      address: null,
      reason: "",
      keys: ["k"],
      facts: {},
    },
    NIGHT - DAY_MS,
  );
});

const mine = (id: number) => (id === 1 ? host : null);
const record = (atMs: number, body: string, resourceId = 1) => ({
  atMs,
  body,
  resourceId,
  severity: 9,
  attributes: null,
  traceId: null,
  spanId: null,
});
const night = (number: number, minutes: number) => [
  record(NIGHT + number * DAY_MS, "Job month-end begun: 6 rows"),
  record(NIGHT + number * DAY_MS + minutes * MINUTE_MS, "Job month-end done: 6 rows"),
];
const eightNights = Array.from({ length: 8 }, (_none, number) => night(number, 40)).flat();
const runs = (atMs: number) => runsOf(db, listJobs(db)[0]?.id ?? 0, atMs, 50);
const now = NIGHT + 20 * DAY_MS;

describe("runs that logs tell of", () => {
  it("are kept from their beginning to their end, whoever else says the same", () => {
    saveJobWords(db, words, "test", NIGHT);
    const jobs = new JobRuns(db);
    jobs.take([...eightNights, record(NIGHT, "Job other begun", 2)], mine, now);
    expect(listJobs(db)).toMatchObject([{ name: "month-end", componentId: host, toldBy: "logs" }]);
    expect(runs(now)).toHaveLength(8);
    expect(runs(now)[0]).toEqual({ startedMs: NIGHT, endedMs: NIGHT + 40 * MINUTE_MS, outcome: "done" });
    // As it was known while the first one ran.
    expect(runs(NIGHT + MINUTE_MS)).toEqual([{ startedMs: NIGHT, endedMs: null, outcome: "running" }]);
  });

  it("end where the next begins though nobody told of an end; an end without a beginning is none", () => {
    saveJobWords(db, words, "test", NIGHT);
    const jobs = new JobRuns(db);
    jobs.take([record(NIGHT - 1, "Job copy done")], mine, now);
    expect(listJobs(db)).toEqual([]);
    jobs.take([record(NIGHT, "Job copy begun"), record(NIGHT, "Job copy begun")], mine, now);
    jobs.take(
      [record(NIGHT + HOUR_MS, "Job copy begun"), record(NIGHT + 2 * HOUR_MS, "Job copy failed: x")],
      mine,
      now,
    );
    expect(runs(now).map((run) => run.outcome)).toEqual(["unknown", "failed"]);
    // A clock that runs ahead of ours tells of nothing.
    jobs.take([record(now + HOUR_MS, "Job copy begun")], mine, now);
    expect(runs(now + DAY_MS)).toHaveLength(2);
  });

  it("are bounded: a name that differs with every run is no job", () => {
    saveJobWords(db, words, "test", NIGHT);
    const jobs = new JobRuns(db);
    jobs.take(
      Array.from({ length: 150 }, (_none, number) => record(NIGHT + number, `Job run-${number} begun`)),
      mine,
      now,
    );
    expect(listJobs(db)).toHaveLength(100);
    // Nor is what begins anew all the time.
    const flood = Array.from({ length: 5_000 }, (_none, number) => record(NIGHT + number * 500, "Job run-0 begun"));
    jobs.take(flood, mine, now);
    expect(runsOf(db, listJobs(db)[0]?.id ?? 0, now, 10_000)).toHaveLength(1_000);
  });

  it("are read from what is kept of the logs when somebody says how they are told", () => {
    const writer = new LogWriter(db);
    db.exec(
      "INSERT OR IGNORE INTO resource (id, attributes, matched_by, first_at, last_at) VALUES (1, '{}', '', 0, 0)",
    );
    db.transaction(() => writer.write(eightNights))();
    const told = db.transaction(() => new JobRuns(db).countBack(words, mine, NIGHT + 9 * DAY_MS))();
    expect(told).toBe(16);
    expect(runs(now)).toHaveLength(8);
  });
});

describe("runs that platforms tell of", () => {
  const world = () => {
    const writer = new SampleWriter(db);
    const active = writer.series({ componentId: host, serviceId: null }, "workload.jobs.active", "", "1", NIGHT);
    for (const condition of ["failed", "missing"])
      saveRule(db, undefined, {
        name: condition,
        type: "jobs",
        settings: jobSettings.parse({ condition, minutes: 2 }),
        scope: { subject: "component", kind: "*" },
        enabled: true,
      });
    const judge = new JobJudge(db, new AlarmBook(db), writer, context);
    const told = { componentId: host, job: "wagon-count", toldBy: "platform" as const };
    const look = (minute: number, isHeard = true) => {
      const atMs = NIGHT + minute * MINUTE_MS;
      if (isHeard) writer.record(active, atMs, 0);
      return db.transaction(() => judge.evaluate(atMs))();
    };
    const run = (minute: number, how: "ends" | "fails" = "ends") => {
      noteRun(db, { ...told, atMs: NIGHT + minute * MINUTE_MS }, "begins");
      noteRun(db, { ...told, atMs: NIGHT + (minute + 1) * MINUTE_MS }, how);
    };
    look(0);
    for (const minute of [0, 10, 20, 30]) run(minute);
    look(35);
    return { look, run };
  };

  it("are missed and failed like any other, told again or not", () => {
    const { look, run } = world();
    run(30);
    expect(runs(now)).toHaveLength(4);
    expect(look(41)).toEqual([]);
    expect(look(43)).toMatchObject([{ what: "raised" }]);
    run(44, "fails");
    expect(look(46).map((one) => one.what)).toEqual(["cleared"]);
    run(46, "fails");
    expect(look(48).map((one) => one.what)).toEqual(["raised"]);
    expect(activeAlarms(db)[0]).toMatchObject({ metric: "job.failed", qualifier: "wagon-count" });
  });

  it("are not missed while the platform says nothing", () => {
    const { look } = world();
    expect(look(43, false)).toEqual([]);
    // It may have run at 40, when nobody told of it; what is due from now on is missed.
    expect(look(44)).toEqual([]);
    expect(look(48)).toEqual([]);
    expect(look(53)).toMatchObject([{ what: "raised" }]);
  });
});

const context = {
  kindOf: () => "app.process",
  isWatched: () => true,
  serviceUid: () => undefined,
  servicesOf: () => [],
  hostOf: (id: number) => id,
};

describe("a job", () => {
  const missing = (settings = {}) =>
    ({
      name: "night",
      type: "jobs",
      settings: jobSettings.parse({ condition: "missing", minutes: 15, ...settings }),
      scope: { subject: "component", kind: "app.*" },
      enabled: true,
    }) as const;

  it("that does not start is told of by an alarm of its own, until it starts", () => {
    saveJobWords(db, words, "test", NIGHT);
    const jobs = new JobRuns(db);
    jobs.take(eightNights, mine, now);
    saveRule(db, undefined, missing());
    const judge = new JobJudge(db, new AlarmBook(db), new SampleWriter(db), context);
    const due = NIGHT + 8 * DAY_MS;
    const look = (atMs: number) => db.transaction(() => judge.evaluate(atMs))();
    // Looked at from before it was due.
    expect(look(due - MINUTE_MS)).toEqual([]);
    expect(look(due + 10 * MINUTE_MS)).toEqual([]);
    expect(look(due + 16 * MINUTE_MS)).toMatchObject([{ what: "raised" }]);
    expect(activeAlarms(db)[0]).toMatchObject({ metric: "job.missing", qualifier: "month-end", onset_at: due });
    const page = jobsPage(db, { atMs: due + 16 * MINUTE_MS, job: listJobs(db)[0]?.id ?? 0 });
    expect(page.jobs).toMatchObject([{ name: "month-end", missedMs: due, severity: "minor" }]);
    expect(page.chosen?.runs).toHaveLength(8);
    jobs.take([record(due + 20 * MINUTE_MS, "Job month-end begun")], mine, now);
    expect(look(due + 21 * MINUTE_MS)).toMatchObject([{ what: "cleared" }]);
  });

  it("is previewed as it would have been judged", () => {
    saveJobWords(db, words, "test", NIGHT);
    new JobRuns(db).take([...eightNights, ...night(9, 120)], mine, now);
    const detector = detectorOf("jobs") as JobDetector;
    const preview = (settings: object) =>
      jobPreview(db, missing(settings), detector, NIGHT + 7 * DAY_MS, NIGHT + 9.5 * DAY_MS);
    expect(preview({})).toMatchObject({ series: 1, raised: 1, of: "jobs" });
    expect(preview({ condition: "long" })).toMatchObject({ raised: 1, hits: [{ instance: "month-end" }] });
    expect(preview({ condition: "failed" })).toMatchObject({ raised: 0 });
    expect(preview({ job: "night*" })).toMatchObject({ series: 0 });
  });
});
