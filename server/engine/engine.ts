import { readFileSync } from "node:fs";
import type { MessagePort } from "node:worker_threads";
import { severityRank } from "#core/alarms/severity";
import { kindMatches } from "#core/detection/threshold";
import { checkArguments } from "#core/remediation/runbook";
import { machineSpanMs, readClock, type ClockSetting } from "#core/time/clock";
import { HOUR_MS, MINUTE_MS } from "#core/time/windows";
import { readProcesses, type SnmpTarget } from "../collectors/snmp";
import { Standins, type Drill } from "../collectors/standins";
import { Secrets } from "../secrets";
import { migrationsFolder, secretFile, setupSchema, storeFile, type Settings } from "../settings";
import { acknowledgeAlarm, alarmById, listRules, offerRule, updateRule, writeSnapshot } from "../store/alarms";
import { insertChange } from "../store/changes";
import {
  deleteMeta,
  migrate,
  openStore,
  PersonError,
  readMeta,
  storeTrouble,
  writeMeta,
  type Db,
} from "../store/database";
import { componentById, currentComponents, factsAt, touchSeen } from "../store/estate";
import { attachEvidence, pinEvidence, removeEvidence, type NewEvidence } from "../store/evidence";
import { incidentById, noteIncident, takeIncident } from "../store/incidents";
import { endInterruptedRuns, runbookById, runningOn, saveRunbook } from "../store/runs";
import { readRetention, saveRetention, type Retention } from "../store/retention";
import { saveService } from "../store/services";
import { newestSampleMs } from "../store/signals";
import { endInterruptedSweeps, insertSource, listSources } from "../store/sweeps";
import { removeQuery, saveQuery } from "../store/saved-queries";
import { saveScrapeTarget } from "../store/ways-in";
import type { LiveEvent } from "./events";
import { Deliveries } from "./deliveries";
import { correlate } from "./correlator";
import { Inbox } from "./inbox";
import { readKits } from "./kits";
import { Judge, type AlarmEvent } from "./judge";
import { liveThroughPast, type PastContext } from "./past";
import { Poller } from "./poller";
import { Recorder } from "./recorder";
import { Roller } from "./roller";
import { Runner } from "./runner";
import { Sweeps } from "./sweeps";
import { refreshHealth, refreshServices, servicesByComponent } from "./topology";

/** Clock time between two ticks. */
const TICK_MS = 5_000;
/** Machine time a tick may spend on summing up and forgetting. */
const ROLLING_BUDGET_MS = 25;

/** The heart of the server: the store's one writer, the sweeps, polls, ticks and runs. Lives on a worker thread. */
export class Engine {
  readonly db: Db;
  private readonly secrets: Secrets;
  private clock: ClockSetting;
  private readonly recorder: Recorder;
  private readonly judge: Judge;
  private readonly roller: Roller;
  private readonly deliveries: Deliveries;
  private readonly inbox: Inbox;
  private readonly poller: Poller;
  private readonly runner: Runner;
  private readonly standins: Standins | undefined;
  private kindOf = new Map<number, string>();
  private nameOf = new Map<number, string>();
  private servicesOf = new Map<number, { id: number; name: string }[]>();
  private readonly sweeps: Sweeps;
  private readonly seen = new Map<number, number>();
  private stopping = false;
  /** Senders told of components that the engine has not taken up yet. */
  private grown = false;
  private loop: Promise<void> | undefined;
  private trouble: string | null = null;
  /** History is being lived through: no page is open yet. */
  private inFastMotion = false;
  private takenBefore = 0;

  constructor(
    private readonly settings: Settings,
    private readonly emit: (event: LiveEvent) => void,
  ) {
    this.db = openStore(storeFile(settings), "writer");
    migrate(this.db, migrationsFolder(settings));
    this.secrets = new Secrets(secretFile(settings));
    this.clock = settings.clock;
    const newest = newestSampleMs(this.db);
    if (newest !== undefined && newest > this.now() + HOUR_MS)
      throw new PersonError(
        `The store holds data up to ${new Date(newest).toISOString()}, but the clock would start at ${new Date(this.now()).toISOString()}. Start with a later --now, or begin anew with --fresh.`,
      );
    this.standins = settings.standins ? new Standins(settings.standins) : undefined;
    endInterruptedSweeps(this.db, this.now());
    endInterruptedRuns(this.db, this.now());
    this.loadKits();
    this.recorder = new Recorder(this.db);
    this.judge = new Judge(this.db, (id) => this.kindOf.get(id), {
      recall: (id, fromMs, toMs) => this.recorder.recall(id, fromMs, toMs),
      isTwin: (series) =>
        series.originId !== null &&
        this.recorder.find({ componentId: series.componentId, serviceId: null }, series.metric, series.instance) !==
          undefined,
    });
    this.roller = new Roller(this.db, this.recorder);
    this.deliveries = new Deliveries(this.db, this.recorder);
    this.inbox = new Inbox({
      db: this.db,
      recorder: this.recorder,
      deliveries: this.deliveries,
      now: () => this.now(),
      tellTrouble: (message) => this.tellTrouble(message),
      // Taken up with the next tick: newcomers come in crowds.
      onGrown: () => (this.grown = true),
      onRelations: () => {
        refreshServices(this.db, this.now());
        this.servicesOf = servicesByComponent(this.db, this.now());
      },
    });
    this.sweeps = new Sweeps({
      db: this.db,
      secrets: this.secrets,
      now: () => this.now(),
      emit: (event) => this.emit(event),
      tellTrouble: (message) => this.tellTrouble(message),
      onSources: () => this.poller.reload(this.now()),
      onEstate: (retired) => this.afterEstateChange(retired),
    });
    this.poller = new Poller(this.db, this.secrets, this.recorder, (id) => this.seen.set(id, this.now()));
    this.runner = new Runner({
      db: this.db,
      recorder: this.recorder,
      now: () => this.now(),
      sleep: (ms, signal) => this.sleep(ms, signal),
      machineMs: (ms) => machineSpanMs(this.clock, ms),
      sshUser: settings.sshUser,
      sshKey: settings.sshKeyFile ? readFileSync(settings.sshKeyFile, "utf8") : undefined,
      defaultSshPort: 22,
      tell: (id) => this.emit({ topic: "run", id }),
    });
    this.reload();
  }

  now(): number {
    return readClock(this.clock, Date.now());
  }

  private sleep(ms: number, signal?: AbortSignal): Promise<void> {
    return new Promise((resolve) => {
      if (signal?.aborted) return resolve();
      const done = () => {
        clearTimeout(timer);
        signal?.removeEventListener("abort", done);
        resolve();
      };
      const timer = setTimeout(done, machineSpanMs(this.clock, ms));
      signal?.addEventListener("abort", done);
    });
  }

  private loadKits(): void {
    for (const kit of readKits(this.settings.root)) {
      for (const rule of kit.rules)
        offerRule(this.db, {
          ...rule,
          kind: kit.kind,
          memoryMs: rule.memoryMinutes * MINUTE_MS,
          enabled: true,
          limits: [...rule.limits].sort((a, b) => severityRank(b.severity) - severityRank(a.severity)),
        });
      for (const runbook of kit.runbooks) saveRunbook(this.db, runbook, this.now());
    }
  }

  /** Takes up what changed in the estate: names, kinds, memberships, what is polled. */
  private reload(): void {
    const components = currentComponents(this.db);
    this.kindOf = new Map(components.map((row) => [row.id, row.kind]));
    this.nameOf = new Map(components.map((row) => [row.id, row.name]));
    this.servicesOf = servicesByComponent(this.db, this.now());
    this.recorder.judgedMetrics = new Set(listRules(this.db).map((rule) => rule.metric));
    this.poller.reload(this.now());
    this.deliveries.reload();
  }

  // --- first start -----------------------------------------------------------------------------------------------------

  /**
   * Prepares a new store: takes the set-up file in and, where there are stand-ins with a past, lives through that past in
   * fast motion: real sweeps with the stand-ins' clock turned back, then every poll through intake and engine.
   */
  async prepare(onProgress: (text: string) => void): Promise<void> {
    if (readMeta(this.db, "prepared")) return;
    if (readMeta(this.db, "preparing"))
      throw new PersonError("The first start was cut off before the store was ready. Start again with --fresh.");
    writeMeta(this.db, "preparing", "1");
    const presentMs = this.now();
    const history = this.standins ? this.settings.historyMs : 0;
    const live = this.clock;
    if (this.standins && history > 0)
      await this.setClock({ baseMs: presentMs - history, machineMs: Date.now(), pace: 1 });
    if (this.settings.setup) this.takeSetup(this.settings.setup);
    if (this.standins && history > 0) {
      this.inFastMotion = true;
      await liveThroughPast(this.past(), presentMs - history, presentMs, onProgress);
      this.inFastMotion = false;
      await this.setClock({ ...live, baseMs: readClock(live, Date.now()), machineMs: Date.now() });
      this.reload();
      for (const host of this.poller.hosts.values()) host.nextMs = this.now() + ((host.id * 7919) % host.everyMs);
    }
    this.db.transaction(() => {
      writeMeta(this.db, "prepared", String(presentMs));
      deleteMeta(this.db, "preparing");
    })();
  }

  private async setClock(setting: ClockSetting): Promise<void> {
    this.clock = setting;
    await this.standins?.setClock(setting);
  }

  private takeSetup(file: string): void {
    const parsed = setupSchema.safeParse(JSON.parse(readFileSync(file, "utf8")));
    if (!parsed.success)
      throw new PersonError(
        `The set-up file ${file} cannot be used: ${parsed.error.issues.map((issue) => `${issue.path.join(".")}: ${issue.message}`).join("; ")}`,
      );
    this.db.transaction(() => {
      writeMeta(this.db, "organisation", parsed.data.organisation);
      for (const source of parsed.data.sources)
        insertSource(this.db, source, this.secrets.seal(source.community), this.now());
      for (const page of parsed.data.pages)
        saveScrapeTarget(this.db, page.url, page.everySeconds, "set-up file", this.now());
      for (const service of parsed.data.services) saveService(this.db, service, this.now());
    })();
  }

  private past(): PastContext {
    return {
      db: this.db,
      standins: this.standins as Standins,
      recorder: this.recorder,
      deliveries: this.deliveries,
      poller: this.poller,
      setClock: (setting) => this.setClock(setting),
      turnClock: (atMs) => (this.clock = { baseMs: atMs, machineMs: Date.now(), pace: 0 }),
      sweepAll: async () =>
        void (await Promise.all(listSources(this.db).map((source) => this.startSweep(source.id, "first start", true)))),
      judge: () => this.judgeFresh(),
      snapshots: (events) => this.takeSnapshots(events),
      writeSeen: () => {
        this.writeSeen();
        this.seen.clear();
      },
      takeUp: () => this.afterEstateChange([]),
    };
  }

  // --- the tick --------------------------------------------------------------------------------------------------------

  start(): void {
    this.deliveries.expect(this.now());
    this.loop = this.run();
  }

  private async run(): Promise<void> {
    while (!this.stopping) {
      const started = this.now();
      void this.poller.pollDue(() => this.now());
      this.tick();
      await this.sleep(Math.max(200, TICK_MS - (this.now() - started)));
    }
  }

  /** One tick: judge the new samples, correlate, write everything, tell open pages. Trouble with the disk is said, not fatal. */
  tick(how: "tick" | "everything" = "tick"): void {
    try {
      let events: AlarmEvent[] = [];
      let ended: number[] = [];
      if (this.grown) {
        this.grown = false;
        this.afterEstateChange([]);
        this.emit({ topic: "estate", atMs: this.now() });
      }
      this.db.transaction(() => {
        const { heard, retired } = this.deliveries.found.look(this.now());
        for (const id of heard) this.seen.set(id, this.now());
        ended = retired;
        events = this.judgeFresh();
        this.recorder.write(how);
        this.writeSeen();
      })();
      this.recorder.settle();
      this.recorder.judged();
      this.seen.clear();
      if (ended.length) {
        this.afterEstateChange(ended);
        this.emit({ topic: "estate", atMs: this.now() });
      }
      if (this.trouble) {
        this.trouble = null;
        this.emit({ topic: "trouble", message: null });
      }
      const atMs = this.now();
      this.emit({ topic: "tick", atMs, samples: this.recorder.taken - this.takenBefore });
      this.takenBefore = this.recorder.taken;
      if (events.length) this.emit({ topic: "alarms", atMs });
      // On its own, because it reads what was just committed.
      this.db.transaction(() => {
        const retention = readRetention(this.db);
        this.roller.work(atMs, retention, ROLLING_BUDGET_MS);
        this.deliveries.sumUp(atMs, ROLLING_BUDGET_MS);
        this.deliveries.forget(atMs - retention.logsMs, atMs - retention.spansMs);
      })();
      void this.takeSnapshots(events);
    } catch (error) {
      const message = storeTrouble(error);
      if (!message) throw error;
      // Nothing of this tick was kept: its samples stay in memory and are judged and written with the next one.
      this.judge.reload();
      this.recorder.bound();
      this.tellTrouble(message);
    }
  }

  /** Says on every page that something is wrong with the store, once. */
  tellTrouble(message: string): void {
    if (message === this.trouble) return;
    this.trouble = message;
    this.emit({ topic: "trouble", message });
  }

  private judgeFresh(): AlarmEvent[] {
    const events = this.judge.judge(this.recorder.fresh);
    if (events.length) this.follow(events);
    return events;
  }

  private follow(events: readonly AlarmEvent[]): void {
    const atMs = events.at(-1)?.atMs as number;
    refreshHealth(this.db, new Set(events.map((event) => event.componentId)), this.servicesOf, atMs);
    const incidents = correlate(this.db, events, {
      servicesOf: (id) => this.servicesOf.get(id) ?? [],
      componentName: (id) => this.nameOf.get(id) ?? `component ${id}`,
    });
    if (!this.inFastMotion)
      for (const incident of incidents) this.emit({ topic: "incident", id: incident.incidentId, what: incident.what });
  }

  private writeSeen(): void {
    for (const [id, atMs] of this.seen) touchSeen(this.db, id, atMs);
  }

  /** Reads the process table of every host whose alarm was just raised or got worse: the top ten at that moment. */
  private async takeSnapshots(events: readonly AlarmEvent[]): Promise<void> {
    for (const event of events) {
      const host = this.poller.hosts.get(event.componentId);
      if (
        (event.what !== "raised" && event.what !== "worse") ||
        !host ||
        host.processes.size === 0 ||
        event.metric === "reachable"
      )
        continue;
      await this.snapshot(event.alarmId, event.componentId, host.target);
    }
  }

  private async snapshot(alarmId: number, componentId: number, target: SnmpTarget): Promise<void> {
    const memoryBytes = Number(
      factsAt(this.db, componentId, this.now()).find((fact) => fact.name === "memory bytes")?.value ?? 0,
    );
    try {
      const processes = await readProcesses(target);
      if (this.stopping) return;
      const top = [...processes].sort((a, b) => b.memoryBytes - a.memoryBytes).slice(0, 25);
      writeSnapshot(this.db, alarmId, this.now(), memoryBytes, top, null);
    } catch (error) {
      if (this.stopping) return;
      writeSnapshot(
        this.db,
        alarmId,
        this.now(),
        memoryBytes,
        [],
        `The process table could not be read: ${error instanceof Error ? error.message : error}`,
      );
    }
    this.emit({ topic: "alarms", atMs: this.now() });
  }

  // --- what is sent to us -----------------------------------------------------------------------------------------------

  attach = (port: MessagePort) => this.inbox.attach(port);
  importSamples = (...args: Parameters<Inbox["importSamples"]>) => this.inbox.importSamples(...args);
  saveScrapeTarget = (...args: Parameters<Inbox["saveScrapeTarget"]>) => this.inbox.saveScrapeTarget(...args);
  removeScrapeTarget = (...args: Parameters<Inbox["removeScrapeTarget"]>) => this.inbox.removeScrapeTarget(...args);
  saveNamingRule = (...args: Parameters<Inbox["saveNamingRule"]>) => this.inbox.saveNamingRule(...args);
  removeNamingRule = (...args: Parameters<Inbox["removeNamingRule"]>) => this.inbox.removeNamingRule(...args);

  saveQuery(name: string, sql: string, by: string): void {
    saveQuery(this.db, name, sql, by, this.now());
  }

  removeQuery(id: number): void {
    removeQuery(this.db, id);
  }

  saveRetention(change: Partial<Retention>, by: string): void {
    const next = { ...readRetention(this.db), ...change };
    if (!(next.rawMs <= next.fiveMinutesMs && next.fiveMinutesMs <= next.hourMs && next.hourMs <= next.dayMs))
      throw new PersonError(
        "What is coarser has to be kept at least as long as what is finer: samples, five minutes, hours, days.",
      );
    this.db.transaction(() => {
      saveRetention(this.db, next);
      insertChange(this.db, {
        atMs: this.now(),
        kind: "setting",
        componentId: null,
        summary: "How long signals are kept was changed",
        by,
      });
    })();
  }

  // --- what people do --------------------------------------------------------------------------------------------------

  saveSource = (...args: Parameters<Sweeps["saveSource"]>) => this.sweeps.saveSource(...args);
  startSweep = (...args: Parameters<Sweeps["start"]>) => this.sweeps.start(...args);
  stopSweep = (...args: Parameters<Sweeps["stop"]>) => this.sweeps.stop(...args);

  private afterEstateChange(retired: readonly number[]): void {
    const atMs = this.now();
    if (retired.length) {
      const events = this.db.transaction(() => {
        const cleared = retired.flatMap((id) => this.judge.clearComponent(id, "No longer watched", atMs));
        if (cleared.length) this.follow(cleared);
        return cleared;
      })();
      if (events.length) this.emit({ topic: "alarms", atMs });
    }
    refreshServices(this.db, atMs);
    this.reload();
  }

  startRun(request: {
    runbookId: number;
    componentId: number;
    incidentId: number | null;
    args: Record<string, string>;
    by: string;
  }): number {
    const runbook = runbookById(this.db, request.runbookId);
    if (!runbook) throw new PersonError("That runbook does not exist.");
    const target = componentById(this.db, request.componentId);
    if (!target) throw new PersonError("Choose a component to run it on.");
    if (!runbook.definition.kinds.some((pattern) => kindMatches(pattern, target.kind)))
      throw new PersonError(
        `“${runbook.name}” is for ${runbook.definition.kinds.join(", ")}; ${target.name} is ${target.kind}. Choose another target.`,
      );
    const problem = checkArguments(runbook.definition, request.args);
    if (problem) throw new PersonError(problem);
    const busy = runningOn(this.db, target.id);
    if (busy !== undefined)
      throw new PersonError(`Run ${busy} is under way on ${target.name}. Wait for its end, or stop it first.`);
    if (request.incidentId !== null && !incidentById(this.db, request.incidentId))
      throw new PersonError("That incident does not exist.");
    return this.runner.start({ ...request, definition: runbook.definition });
  }

  stopRun(id: number): boolean {
    return this.runner.stop(id);
  }

  takeIncident(id: number, by: string): void {
    if (!incidentById(this.db, id)) throw new PersonError("That incident does not exist.");
    this.db.transaction(() => {
      takeIncident(this.db, id, by, this.now());
      noteIncident(this.db, id, "taken", "Taken", by, this.now());
    })();
    this.emit({ topic: "incident", id, what: "changed" });
  }

  noteOnIncident(id: number, text: string, by: string): void {
    if (!incidentById(this.db, id)) throw new PersonError("That incident does not exist.");
    noteIncident(this.db, id, "note", text, by, this.now());
    this.emit({ topic: "incident", id, what: "changed" });
  }

  acknowledge(alarmId: number, by: string): void {
    if (!alarmById(this.db, alarmId)) throw new PersonError("That alarm does not exist.");
    acknowledgeAlarm(this.db, alarmId, by, this.now());
    this.emit({ topic: "alarms", atMs: this.now() });
  }

  pin(evidence: NewEvidence): number {
    if (evidence.incident_id !== null && !incidentById(this.db, evidence.incident_id))
      throw new PersonError("That incident does not exist.");
    const id = pinEvidence(this.db, evidence, this.now());
    if (evidence.incident_id !== null) {
      noteIncident(
        this.db,
        evidence.incident_id,
        "evidence",
        `Pinned: ${evidence.title}`,
        evidence.pinned_by,
        this.now(),
      );
      this.emit({ topic: "incident", id: evidence.incident_id, what: "changed" });
    }
    return id;
  }

  attachPins(incidentId: number, by: string): number {
    if (!incidentById(this.db, incidentId)) throw new PersonError("That incident does not exist.");
    const count = attachEvidence(this.db, by, incidentId);
    if (count)
      noteIncident(
        this.db,
        incidentId,
        "evidence",
        `${count} pinned ${count === 1 ? "view" : "views"} attached`,
        by,
        this.now(),
      );
    this.emit({ topic: "incident", id: incidentId, what: "changed" });
    return count;
  }

  unpin(id: number): void {
    removeEvidence(this.db, id);
  }

  saveRule(
    id: number,
    change: {
      limits: { severity: "critical" | "major" | "minor" | "warning" | "indeterminate"; value: number }[];
      samples: number;
      hysteresis: number;
      enabled: boolean;
    },
    by: string,
  ): void {
    const name = listRules(this.db).find((rule) => rule.id === id)?.name;
    if (!name) throw new PersonError("That rule does not exist.");
    this.db.transaction(() => {
      updateRule(
        this.db,
        id,
        [...change.limits].sort((a, b) => severityRank(b.severity) - severityRank(a.severity)),
        change.samples,
        change.hysteresis,
        change.enabled,
      );
      insertChange(this.db, {
        atMs: this.now(),
        kind: "setting",
        componentId: null,
        summary: `Rule “${name}” was changed`,
        by,
      });
    })();
    this.judge.loadRules();
  }

  async drills(): Promise<Drill[] | null> {
    return this.standins ? this.standins.drills() : null;
  }

  async drill(id: string, action: "start" | "stop"): Promise<void> {
    if (!this.standins) throw new PersonError("Drills need the stand-in estate; this installation watches a real one.");
    const problem = await this.standins.drill(id, action);
    if (problem) throw new PersonError(problem);
  }

  /** Figures about the engine itself. */
  itself() {
    return {
      hosts: this.poller.hosts.size,
      pollsDone: this.poller.done,
      pollsMissed: this.poller.missed,
      samplesRepeated: this.recorder.repeated,
      samplesLate: this.recorder.lateCount,
      samplesPending: this.recorder.pending,
      received: this.inbox.received ?? null,
      samplesSent: this.deliveries.samples,
      recordsSent: this.deliveries.records,
      spansSent: this.deliveries.spans,
      eventsSent: this.deliveries.events,
      scraped: this.inbox.scraped,
      trouble: this.trouble,
    };
  }

  /** Orderly end: no new work, everything written, the log folded into the store. */
  async close(): Promise<void> {
    this.stopping = true;
    this.inbox.close();
    this.sweeps.stopAll();
    this.runner.stopAll();
    this.tick("everything");
    this.db.pragma("wal_checkpoint(TRUNCATE)");
    this.db.close();
  }
}
