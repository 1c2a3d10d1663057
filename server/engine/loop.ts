import type { AlarmEvent } from "../alarms/alarm-book";
import type { Judges } from "../alarms/judges";
import type { Measured } from "../alarms/measured";
import type { Quiet } from "../alarms/quiet";
import type { Snapshots } from "../alarms/snapshots";
import { refreshHealth, type HealthContext } from "../estate/services";
import type { Sweeps } from "../estate/sweeps";
import type { LiveEvent } from "../events";
import { correlate } from "../incidents/correlate";
import type { History } from "../incidents/history";
import type { Reconsider } from "../incidents/reconsider";
import type { IncidentEvent } from "../incidents/refresh";
import type { BatchIngest } from "../ingest/batches";
import type { Roller } from "../ingest/rollups";
import type { SampleWriter } from "../ingest/sample-writer";
import type { CertificatePoller } from "../polling/certificates";
import type { PlatformPoller } from "../polling/platforms";
import type { Poller } from "../polling/poller";
import type { Chores } from "../repair/chores";
import type { Policies } from "../repair/policies";
import { storeProblem, type Db } from "../store/database";
import { touchSeen } from "../store/estate";
import { forgetRuns } from "../store/jobs";
import { readRetention } from "../store/retention";
import type { Telling } from "../telling/telling";
import type { EstateChanges } from "./estate-changes";
import type { KnownEstate } from "./known-estate";
import type { Problems } from "./problems";
import type { CredentialUses } from "./sending-access";

/** Clock time between two ticks. */
const TICK_MS = 5_000;
/** So many ticks may fail before the samples that they could not judge are kept without that. */
const MOST_FAILED_TICKS = 5;
/** Machine time a tick may spend on rollups and retention. */
const ROLLING_BUDGET_MS = 25;

export interface LoopParts {
  db: Db;
  now: () => number;
  sleep: (ms: number) => Promise<void>;
  emit: (event: LiveEvent) => void;
  /** Told of what failed for no known reason: for the log. */
  onFault: (error: unknown) => void;
  problems: Problems;
  estate: KnownEstate;
  changes: EstateChanges;
  sampleWriter: SampleWriter;
  batches: BatchIngest;
  judges: Judges;
  measured: Measured;
  quiet: Quiet;
  history: History;
  reconsider: Reconsider;
  roller: Roller;
  poller: Poller;
  platforms: PlatformPoller;
  certificates: CertificatePoller;
  sweeps: Sweeps;
  credentialUses: CredentialUses;
  snapshots: Snapshots;
  telling: Telling;
  policies: Policies;
  chores: Chores;
  /** History is being lived through: no page is open yet, and nobody is told. */
  isInPast: () => boolean;
}

/** The tick: what was measured is judged, correlated, written and told; then what is due is polled. */
export class Loop {
  private readonly seenAt = new Map<number, number>();
  private stopped = false;
  /** Ticks in a row that failed for no reason of the store. */
  private failedTicks = 0;
  private takenBefore = 0;

  constructor(private readonly parts: LoopParts) {}

  get isStopping(): boolean {
    return this.stopped;
  }

  stop(): void {
    this.stopped = true;
  }

  /** A component was heard of: written with the next tick. */
  saw = (id: number): void => {
    this.seenAt.set(id, this.parts.now());
  };

  async run(): Promise<void> {
    while (!this.stopped) {
      const started = this.parts.now();
      this.goOn("What was measured cannot be judged at present", () => this.tick());
      // After the tick, which would keep their answers waiting.
      this.goOn("Not everything can be polled at present", () => this.lookDue());
      await this.parts.sleep(Math.max(200, TICK_MS - (this.parts.now() - started)));
    }
  }

  private lookDue(): void {
    const { poller, platforms, certificates, sweeps, now } = this.parts;
    void poller.pollDue(now);
    platforms.pollDue();
    void certificates.pollDue(now);
    sweeps.startDue();
  }

  /** Does a part of the loop; whatever goes wrong in it, the loop goes on, and it is told. */
  goOn(problem: string, work: () => void): void {
    try {
      work();
    } catch (error) {
      const known = storeProblem(error);
      if (known === undefined) this.parts.onFault(error);
      this.parts.problems.report(known ?? `${problem}: ${error instanceof Error ? error.message : String(error)}.`);
    }
  }

  /** One tick: judge the new samples, correlate, write everything, tell open pages. Throws where nothing of it was kept. */
  tick(how: "tick" | "everything" = "tick"): void {
    const { changes, sampleWriter, batches, poller, snapshots, credentialUses, db, now } = this.parts;
    try {
      changes.takeUpWaiting();
      const { events, ended } = sampleWriter.commit(how, () => {
        const { heard, retired } = batches.listen(now());
        for (const id of heard) this.saw(id);
        const raised = this.evaluateFresh();
        this.writeSeen();
        if (poller.talks.write(now()) > 0) changes.noteNewcomers();
        return { events: raised, ended: retired };
      });
      sampleWriter.judged();
      this.seenAt.clear();
      this.tellTick(events, ended);
      this.afterwards();
      // On its own, because it reads what was just committed.
      db.transaction(() => this.keepHouse(now()))();
      credentialUses.note(now());
      void snapshots.take(events);
      this.failedTicks = 0;
    } catch (error) {
      this.nothingKept(error);
      throw error;
    }
  }

  /** Nothing of a tick was kept: its samples stay in memory and are judged and written with the next one. */
  private nothingKept(error: unknown): void {
    const { judges, sampleWriter } = this.parts;
    judges.reload();
    sampleWriter.bound();
    const isOfStore = storeProblem(error) !== undefined;
    // What fails again and again for no reason of the store may be about a sample: it is kept without being judged.
    this.failedTicks = isOfStore ? 0 : this.failedTicks + 1;
    if (this.failedTicks >= MOST_FAILED_TICKS) sampleWriter.judged();
  }

  /** What follows from a tick; trouble with one of them stops nothing else. */
  private afterwards(): void {
    const { isInPast, reconsider, telling, policies, chores, now } = this.parts;
    if (!isInPast())
      this.apart("Causes are not looked at again at present", () => this.tellIncidents(reconsider.work(now())));
    this.apart("Nobody can be notified at present", () => telling.work(now()));
    if (!isInPast())
      this.apart("Nothing is repaired by itself at present", () => {
        policies.work(now());
        chores.work(now());
      });
  }

  private apart(problem: string, work: () => void): void {
    try {
      work();
    } catch (error) {
      this.parts.problems.report(storeProblem(error) ?? `${problem}: ${String(error)}`);
    }
  }

  private tellTick(events: readonly AlarmEvent[], ended: readonly number[]): void {
    const { changes, problems, sampleWriter, emit, now } = this.parts;
    if (ended.length) changes.takeUpNow(ended);
    problems.over();
    const atMs = now();
    emit({ topic: "tick", atMs, samples: sampleWriter.taken - this.takenBefore });
    this.takenBefore = sampleWriter.taken;
    if (events.length) emit({ topic: "alarms", atMs });
  }

  /** Rollups and retention, for a short time at each tick. */
  private keepHouse(atMs: number): void {
    const { db, roller, batches, history } = this.parts;
    const retention = readRetention(db);
    roller.work(atMs, retention, ROLLING_BUDGET_MS);
    batches.sumUp(atMs, ROLLING_BUDGET_MS);
    batches.forget(atMs - retention.logsMs, atMs - retention.spansMs);
    forgetRuns(db, atMs - retention.historyMs);
    history.purge(atMs, retention.historyMs);
  }

  /** Judges what came in since the last time. @returns alarms that were raised, changed and cleared */
  evaluateFresh(): AlarmEvent[] {
    const { db, judges, sampleWriter, quiet, measured, now } = this.parts;
    const atMs = now();
    const events = judges.evaluate(sampleWriter.fresh, atMs);
    const heard = quiet.hear(events, atMs);
    if (heard.length) this.follow(heard);
    const changed = measured.changed(atMs);
    if (changed.length)
      refreshHealth(
        db,
        changed.map((id) => ({ type: "service", id })),
        this.healthContext(),
        atMs,
      );
    return events;
  }

  private healthContext(): HealthContext {
    const { estate, judges } = this.parts;
    return {
      servicesOf: estate.members,
      isMeasured: (id) => judges.isMeasured(id),
      takes: (service, component, operation) => estate.ways.takes(service, component, operation),
    };
  }

  /** What alarms mean for the health of services, and for incidents. */
  follow(events: readonly AlarmEvent[], atMs = events.at(-1)?.atMs ?? this.parts.now()): void {
    const { db, estate, isInPast } = this.parts;
    refreshHealth(
      db,
      events.map((event) => event.subject),
      this.healthContext(),
      atMs,
    );
    const incidents = correlate(db, events, estate.affected());
    if (!isInPast()) this.tellIncidents(incidents);
  }

  private tellIncidents(incidents: readonly IncidentEvent[]): void {
    for (const { incidentId, what } of incidents) {
      this.parts.telling.hear(incidentId);
      this.parts.emit({ topic: "incident", id: incidentId, what });
    }
  }

  private writeSeen(): void {
    for (const [id, atMs] of this.seenAt) touchSeen(this.parts.db, id, atMs);
  }

  /** As a tick does, for the past. */
  writeAllSeen(): void {
    this.writeSeen();
    this.seenAt.clear();
  }
}
