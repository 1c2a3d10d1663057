import { endedBefore, LONGEST_TICKET_MS, nextWindow } from "#core/changes/planned-work";
import { RUNS_LEARNED, usualRun } from "#core/jobs/runs";
import { clockTime, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { activeAlarms, alarmById, alarmTypeOf, subjectKey, type AlarmRow, type Subject } from "../store/alarms";
import type { Db } from "../store/database";
import { quietAlarms, setQuiet, shelvesAt } from "../store/quiet";
import { hostNames } from "../store/estate";
import { listJobs, runsOf, type JobRow } from "../store/jobs";
import { listPlannedWork } from "../store/planned-work";
import { ticketsNear } from "../store/tickets";
import type { AlarmEvent } from "./alarm-book";
import { coveredBy, type Covered } from "../changes/work-scope";

/** Planned work and shelves are looked up anew so often, clock time, or at once when somebody changed them. */
const ANEW_MS = 60_000;

/** What follows from planned work elsewhere is kept quiet for so long; longer than so, somebody should hear of it. */
const FOLLOWS_MS = 30 * MINUTE_MS;
/** A load of a job lasts so much longer than the job, and at most so much longer than its runs usually take. */
const AFTER_JOB_MS = 10 * MINUTE_MS;
const LONGER_THAN_USUAL = 1.5;
/** A job that never ran three times may use all there is for so long. */
const UNKNOWN_JOB_MS = 2 * HOUR_MS;
/** What a job may use as much of as there is: time of processors and of disks, not room. */
const LOAD = /^(cpu\.|process\.cpu|disk\.busy)/;

/** What keeping alarms quiet asks of those who know the estate. */
export interface QuietContext {
  /**
   * Names by which planned work may mean a subject: its own and its host's, and that of its program or ""; and the
   * components that it is or is part of.
   */
  namesOf(subject: Subject): { own: readonly string[]; program: string; components: readonly number[] };
  /** Components at which most of the calls that go badly for a subject go badly. */
  badAt(subject: Subject, metric: string, onsetMs: number, atMs: number): ReadonlySet<number>;
}

/**
 * Keeps alarms quiet that are shelved, on something that planned work is under way on or whose calls go badly at such a
 * thing, or the load of a batch job that runs: they stand and are counted, but open no incident and hurt nobody's health
 * until that is over.
 */
export class Quiet {
  private shelves = new Map<string, { reason: string; untilMs: number }>();
  /** Planned work of tickets that is under way, with the names it is about. */
  private planned: { names: ReadonlySet<string>; namesHosts: boolean; reason: string; untilMs: number }[] = [];
  /** The same of what people planned by hand, with what it is on. */
  private byHand: { covered: Covered; reason: string; untilMs: number }[] = [];
  /** Batch jobs that run, or have just ended, with what they may load. */
  private jobs: { components: ReadonlySet<number>; reason: string; untilMs: number }[] = [];
  private readAtMs = Number.NEGATIVE_INFINITY;

  constructor(
    private readonly db: Db,
    private readonly context: QuietContext,
  ) {}

  /** Somebody changed what is shelved. */
  changed(): void {
    this.readAtMs = Number.NEGATIVE_INFINITY;
  }

  /**
   * The events that are to be heard: without those of alarms that are kept quiet, and with the alarms whose quiet is over
   * and that stand still, as if they were raised now. Call inside a transaction.
   */
  hear(events: readonly AlarmEvent[], atMs: number): AlarmEvent[] {
    const isStale = atMs - this.readAtMs >= ANEW_MS || atMs < this.readAtMs;
    const heard = isStale ? this.wake(new Set(events.map((one) => one.alarmId)), atMs) : [];
    const woken = new Set(heard.map((one) => one.alarmId));
    for (const event of events) {
      if (woken.has(event.alarmId)) continue;
      const alarm = alarmById(this.db, event.alarmId);
      if (!alarm) continue;
      if (alarm.quiet !== null) {
        // What was never told of needs no telling that it is over.
        if (event.what === "cleared") setQuiet(this.db, alarm.id, null);
        continue;
      }
      const reason = event.what === "raised" || event.what === "worse" ? this.reasonFor(alarm, atMs) : undefined;
      if (reason) setQuiet(this.db, alarm.id, reason);
      else heard.push(event);
    }
    return heard;
  }

  /** Reads shelves and planned work anew; alarms that stand become quiet or are heard again by it. */
  private wake(news: ReadonlySet<number>, atMs: number): AlarmEvent[] {
    this.readAtMs = atMs;
    this.shelves = new Map(
      shelvesAt(this.db, atMs).map((one) => [
        `${subjectKey(one.subject)}|${one.alarmType}|${one.qualifier}`,
        { reason: `shelved by ${one.by}: ${one.reason}`, untilMs: one.untilMs },
      ]),
    );
    const under = ticketsNear(this.db, atMs, atMs, []).flatMap(({ ref, title, fromMs, toMs, things }) =>
      fromMs !== null && toMs !== null && fromMs <= atMs && toMs > atMs && toMs - fromMs <= LONGEST_TICKET_MS
        ? [
            {
              names: new Set(things.map((one) => one.toLowerCase())),
              reason: `planned work ${ref}: ${title}`,
              untilMs: toMs,
            },
          ]
        : [],
    );
    const hosts = under.length ? hostNames(this.db) : new Set<string>();
    this.planned = under.map((one) => ({ ...one, namesHosts: [...one.names].some((name) => hosts.has(name)) }));
    this.byHand = listPlannedWork(this.db).flatMap(({ work, by, endedMs }) => {
      const window = nextWindow(work, atMs, 1);
      const untilMs = window ? endedBefore(window, endedMs).toMs : 0;
      return untilMs > atMs
        ? [{ covered: coveredBy(this.db, work.scope, atMs), reason: `planned work of ${by}: ${work.title}`, untilMs }]
        : [];
    });
    this.jobs = listJobs(this.db).flatMap((job) => this.loadOf(job, atMs));
    const heard: AlarmEvent[] = [];
    for (const { id, untilMs } of quietAlarms(this.db)) {
      const alarm = alarmById(this.db, id);
      if (!alarm) continue;
      const reason = this.reasonFor(alarm, atMs);
      if (reason && untilMs > atMs) continue;
      setQuiet(this.db, id, reason ?? null);
      if (!reason) heard.push(eventOf(alarm, "raised", atMs));
    }
    // What somebody shelved while it stood is heard no more.
    for (const alarm of activeAlarms(this.db)) {
      // What was raised just now was never told of.
      if (alarm.quiet !== null || news.has(alarm.id)) continue;
      const reason = this.shelves.get(keyOf(alarm));
      if (!reason) continue;
      setQuiet(this.db, alarm.id, reason);
      heard.push(eventOf(alarm, "cleared", atMs));
    }
    return heard;
  }

  /** What a job may load while it runs, and until when that is nothing to tell of. */
  private loadOf({ id, componentId, name }: JobRow, atMs: number): typeof this.jobs {
    const runs = runsOf(this.db, id, atMs, RUNS_LEARNED + 1);
    const last = runs.at(-1);
    if (!last || last.outcome === "unknown") return [];
    const usual = usualRun(runs.slice(0, -1));
    const longestMs = last.startedMs + (usual ? LONGER_THAN_USUAL * usual.mostMs : UNKNOWN_JOB_MS);
    const untilMs = Math.min(last.endedMs ?? longestMs, longestMs) + AFTER_JOB_MS;
    if (untilMs <= atMs) return [];
    const components = new Set(this.context.namesOf({ type: "component", id: componentId }).components);
    return [{ components, reason: `the load of job ${name}, which began at ${clockTime(last.startedMs)}`, untilMs }];
  }

  private reasonFor(alarm: AlarmRow, atMs: number): { reason: string; untilMs: number } | undefined {
    const shelf = this.shelves.get(keyOf(alarm));
    if (shelf && shelf.untilMs > atMs) return shelf;
    const subject = { type: alarm.subject_type, id: alarm.subject_id };
    return this.workOn(subject, atMs) ?? this.workBehind(alarm, subject, atMs) ?? this.jobOf(alarm, atMs);
  }

  /** Planned work on what most of the calls that go badly go to. */
  private workBehind(alarm: AlarmRow, subject: Subject, atMs: number): { reason: string; untilMs: number } | undefined {
    if (!alarm.metric.startsWith("calls.") || (this.planned.length === 0 && this.byHand.length === 0)) return undefined;
    if (atMs - alarm.raised_at >= FOLLOWS_MS) return undefined;
    for (const id of this.context.badAt(subject, alarm.metric, alarm.onset_at, atMs)) {
      const below: Subject = { type: "component", id };
      const work = this.workOn(below, atMs);
      if (work)
        return {
          reason: `${work.reason}, on ${this.context.namesOf(below).own[0] ?? "what it calls"}, where its calls go badly`,
          untilMs: Math.min(work.untilMs, alarm.raised_at + FOLLOWS_MS),
        };
    }
    return undefined;
  }

  private jobOf({ subject_type, subject_id, metric }: AlarmRow, atMs: number) {
    if (subject_type !== "component" || !LOAD.test(metric)) return undefined;
    return this.jobs.find(({ components, untilMs }) => untilMs > atMs && components.has(subject_id));
  }

  /** Planned work that is under way on a subject, as it was last read. */
  workOn(subject: Subject, atMs: number): { reason: string; untilMs: number } | undefined {
    if (this.planned.length === 0 && this.byHand.length === 0) return undefined;
    const { own, program, components } = this.context.namesOf(subject);
    return (
      this.byHand.find(
        ({ covered, untilMs }) =>
          untilMs > atMs &&
          (subject.type === "service"
            ? covered.service === subject.id
            : components.some((id) => covered.components.has(id))),
      ) ??
      this.planned.find(
        ({ names, namesHosts, untilMs }) =>
          untilMs > atMs &&
          // Work on a program of some hosts is not about that program elsewhere.
          (own.some((name) => names.has(name.toLowerCase())) || (!namesHosts && names.has(program.toLowerCase()))),
      )
    );
  }
}

const keyOf = (alarm: AlarmRow) =>
  `${subjectKey({ type: alarm.subject_type, id: alarm.subject_id })}|${alarmTypeOf(alarm.metric, alarm.direction, alarm.detector)}|${alarm.qualifier}`;

const eventOf = (alarm: AlarmRow, what: AlarmEvent["what"], atMs: number): AlarmEvent => ({
  what,
  alarmId: alarm.id,
  subject: { type: alarm.subject_type, id: alarm.subject_id },
  metric: alarm.metric,
  severity: what === "cleared" ? "cleared" : alarm.severity,
  text: what === "cleared" ? "Kept quiet" : alarm.text,
  atMs,
});
