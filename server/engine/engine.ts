import { join } from "node:path";
import type { MessagePort } from "node:worker_threads";
import { machineSpanMs, readClock, type ClockSetting } from "#core/time/clock";
import { HOUR_MS } from "#core/time/windows";
import type { AlarmEvent } from "../alarms/alarm-book";
import { Judges } from "../alarms/judges";
import { Measured } from "../alarms/measured";
import { Quiet } from "../alarms/quiet";
import { History } from "../incidents/history";
import { Snapshots } from "../alarms/snapshots";
import type { CommandPorts } from "../commands/ports";
import { execute, type CommandName, type CommandOutput } from "../commands/registry";
import { Demonstration } from "../demo/demonstration";
import { PaceKeeper } from "../demo/pace-keeper";
import type { Arrivals, Drill, OpenedMail } from "../demo/standins";
import { refreshHealth, type HealthContext } from "../estate/services";
import { mergeByHand, splitByHand } from "../incidents/by-hand";
import { correlate } from "../incidents/correlate";
import { Reconsider } from "../incidents/reconsider";
import { refreshOpen, type IncidentEvent } from "../incidents/refresh";
import { BatchIngest } from "../ingest/batches";
import { Ingest } from "../ingest/ingest";
import { Roller } from "../ingest/rollups";
import { SampleWriter } from "../ingest/sample-writer";
import { withDeadline } from "../outside/deadline";
import { People, type From } from "../people/people";
import type { Principal } from "../people/principal";
import { KnownEstate } from "./known-estate";
import { openPrepared } from "./open-prepared";
import { accessToEndpoint, CredentialUses, tokensThatSend } from "./sending-access";
import { MappingDesk } from "../estate/mapping-desk";
import { shippedMappings } from "../estate/mappings";
import { offerMappings } from "../store/platforms";
import { readOnThread, SpendDesk } from "../spend/desk";
import { CertificatePoller } from "../polling/certificates";
import { PlatformPoller } from "../polling/platforms";
import { HoldUps } from "../polling/hold-ups";
import { Poller } from "../polling/poller";
import { Policies } from "../repair/policies";
import { AgentActions } from "../repair/agent-actions";
import { Chores } from "../repair/chores";
import { dryRun } from "../repair/dry-run";
import { prepareRun } from "../repair/prepare";
import { Runner } from "../repair/runner";
import type { RunnerWorld } from "../repair/world";
import { Telling } from "../telling/telling";
import { TellingClient } from "../telling/telling-client";
import { readHostKey } from "../outside/ssh";
import { readMasterKey } from "../vault/master-key";
import { Vault } from "../vault/vault";
import { migrationsFolder, originOf, secretFile, storeFile, type Settings } from "../settings";
import { trapUsersOf } from "../vault/trap-users";
import { applyCollections } from "../estate/collections";
import { AgentInventories } from "../estate/agent-inventories";
import { IdentityByHand } from "../estate/by-hand";
import type { SourceTools } from "../sources/driver";
import { sourceTools } from "../estate/source-tools";
import { Sweeps } from "../estate/sweeps";
import { openAttempts, updateAttempt } from "../store/drills";
import { deleteMeta, PersonError, readMeta, storeProblem, writeMeta, type Db, unforced } from "../store/database";
import { touchSeen } from "../store/estate";
import { forgetRuns } from "../store/jobs";
import { readRetention } from "../store/retention";
import { alarmsOfIncident } from "../store/incidents";
import { newestSampleMs } from "../store/signals";
import { endInterruptedSweeps } from "../store/sources";
import { chainUp } from "../store/audit";
import type { LiveEvent } from "../events";
import { offerKits } from "../kits/kits";
import { takeCredentials, takeDemoPeople, takeSetup } from "../kits/setup-file";
import { takeTelling } from "../kits/setup-telling";

/** Hosts whose agents can enrol with the code of --enrol-code-file within a day. */
const MOST_ENROLLED_BY_SETUP = 5_000;
/** A host has this long to show its key. */
const HOST_KEY_MS = 8_000;
/** Taking up what changed in the estate rests so many times as long as it takes. */
const TAKE_UP_REST = 16;
/** Clock time between two ticks. */
const TICK_MS = 5_000;
/** So many ticks may fail before the samples that they could not judge are kept without that. */
const MOST_FAILED_TICKS = 5;
/** What is under way has this long to write how it ended, machine time. */
const ENDING_MS = 5_000;
/** Machine time a tick may spend on learning what is usual; less while the past is lived through. */
const LEARNING = { budgetMs: 25, seldom: 1 };
const LEARNING_FAST = { budgetMs: 4, seldom: 5 };
/** Of the past, evidence is looked for in so much. */
const EVIDENCE_MS = 36 * HOUR_MS;
/** Machine time a tick may spend on rollups and retention. */
const ROLLING_BUDGET_MS = 25;

/**
 * The loop that ties the parts together: sources, polls, ingest, alarms, incidents, runs. The store's one writer;
 * lives on a worker thread.
 */
export class Engine {
  readonly db: Db;
  private readonly vault: Vault;
  private clock: ClockSetting;
  private readonly sampleWriter: SampleWriter;
  private readonly judges: Judges;
  private readonly measured = new Measured(
    () => this.estate.entries.keys(),
    (id) => this.judges.isMeasured(id),
  );
  private readonly quiet: Quiet;
  private readonly history: History;
  private readonly reconsider: Reconsider;
  private readonly roller: Roller;
  private readonly batches: BatchIngest;
  private readonly ingest: Ingest;
  private readonly credentialUses: CredentialUses;
  private readonly poller: Poller;
  private readonly platforms: PlatformPoller;
  private readonly certificates: CertificatePoller;
  private readonly spend: SpendDesk;
  private readonly repairs: RunnerWorld;
  private readonly runner: Runner;
  private readonly policies: Policies;
  private readonly chores: Chores;
  private readonly agentActions: AgentActions;
  private readonly tellingClient: TellingClient;
  private readonly telling: Telling;
  private readonly inventories: AgentInventories;
  private readonly snapshots: Snapshots;
  private readonly sweeps: Sweeps;
  private readonly demonstration: Demonstration | undefined;
  private readonly holdUps = new HoldUps();
  private paceKeeper: PaceKeeper | undefined;
  private readonly ports: CommandPorts;
  private readonly people: People;
  private readonly estate: KnownEstate;
  private readonly seenAt = new Map<number, number>();
  private stopping = false;
  /** Senders told of components that the engine has not taken up yet. */
  private grown = false;
  private takeUpFromMs = 0;
  /** Ticks in a row that failed for no reason of the store. */
  private failedTicks = 0;
  private loop: Promise<void> | undefined;
  private problem: string | null = null;
  /** History is being lived through: no page is open yet. */
  private inFastMotion = false;
  private pastEndsAtMs = 0;
  private takenBefore = 0;

  constructor(
    private readonly settings: Settings,
    private readonly emit: (event: LiveEvent) => void,
    /** Told of what failed for no known reason: for the log. */
    private readonly onFault: (error: unknown) => void = () => undefined,
  ) {
    this.db = openPrepared(storeFile(settings), migrationsFolder(settings));
    this.clock = settings.clock;
    this.estate = new KnownEstate(this.db, () => this.now());
    this.refuseEarlierClock();
    this.demonstration = settings.standins ? new Demonstration(settings.standins) : undefined;
    chainUp(this.db);
    this.vault = new Vault(this.db, readMasterKey(secretFile(settings)), () => this.now());
    this.people = new People({
      ...this.shared(),
      isDemo: this.demonstration !== undefined,
      emit: (event) => {
        this.emit(event);
        this.ingest.tellTokens();
      },
    });
    if (settings.enrolCode !== undefined) this.people.offerEnrolment(settings.enrolCode, MOST_ENROLLED_BY_SETUP);
    endInterruptedSweeps(this.db, this.now());
    offerKits(this.db, settings.root, this.now());
    offerMappings(this.db, shippedMappings(settings.root), this.now());
    this.sampleWriter = new SampleWriter(this.db);
    this.roller = new Roller(this.db, this.sampleWriter);
    this.batches = new BatchIngest(this.db, this.sampleWriter);
    this.judges = this.makeJudges();
    this.history = new History(this.db);
    this.reconsider = new Reconsider(this.db, () => this.estate.affected());
    this.quiet = this.makeQuiet();
    this.ingest = this.makeIngest();
    this.credentialUses = new CredentialUses(this.db, this.vault, () => this.ingest.scraped);
    const tools = sourceTools(this.db, settings.root, () => this.now());
    this.sweeps = this.makeSweeps(() => tools);
    this.poller = this.makePoller(() => tools);
    this.spend = this.makeSpend();
    this.platforms = this.makePlatforms(() => tools);
    this.certificates = new CertificatePoller(this.db, this.sampleWriter);
    this.inventories = new AgentInventories({
      ...this.shared(),
      tools: () => tools,
      source: (nowMs) => this.batches.reporters.room(nowMs),
      talks: (id, tables) => this.poller.talks.note(id, tables),
      onEstate: (retired) => this.takeUpNow(retired),
    });
    this.snapshots = new Snapshots({ ...this.shared(), poller: this.poller, isStopping: () => this.stopping });
    this.agentActions = new AgentActions(this.db);
    this.repairs = this.makeRepairs();
    this.runner = new Runner(this.repairs, (run) => {
      this.policies.ended(run);
      this.chores.ended(run);
    });
    this.policies = this.makePolicies();
    this.chores = new Chores({
      world: this.repairs,
      runner: this.runner,
      plannedWork: (id) => this.plannedWork(id),
    });
    this.tellingClient = this.makeTellingClient();
    this.telling = this.makeTelling();
    this.ports = this.makePorts();
    this.estate.readRelations();
    this.reload();
  }

  private makeQuiet(): Quiet {
    return new Quiet(this.db, {
      namesOf: (subject) => this.estate.namesOf(subject),
      badAt: (subject, metric, onsetMs, atMs) => this.judges.badAt(subject, metric, onsetMs, atMs),
    });
  }

  private makeSweeps(tools: () => SourceTools): Sweeps {
    return new Sweeps({
      ...this.shared(),
      vault: this.vault,
      tools,
      onSources: () => this.reload(),
      onEstate: (retired) => this.noteEstateChange(retired),
    });
  }

  private makePoller(tools: () => SourceTools): Poller {
    return new Poller(
      this.db,
      this.vault,
      this.sampleWriter,
      (id) => this.seenAt.set(id, this.now()),
      () => this.clock.pace,
      tools,
      (fromMs) => this.holdUps.longestSince(fromMs),
    );
  }

  private makeSpend(): SpendDesk {
    return new SpendDesk({
      ...this.shared(),
      data: this.settings.data,
      read: (path) => readOnThread(new URL("./spend-thread.js", import.meta.url), path),
      onSpend: () => this.tellEstate(),
    });
  }

  private makePolicies(): Policies {
    return new Policies({
      world: this.repairs,
      runner: this.runner,
      plannedWork: (id) => this.plannedWork(id),
      callsSince: (alarm, fromMs, atMs) => this.judges.callsSince(alarm, fromMs, atMs),
      onIncident: (id) => {
        this.telling.hear(id);
        this.emit({ topic: "incident", id, what: "changed" });
      },
      onProof: (run, proof) => {
        this.chores.proved(run, proof);
        // What is repaired is no cause of what still stands.
        if (proof === "proved" && run.incident_id !== null)
          refreshOpen(this.db, run.incident_id, this.estate.affected(), this.now());
      },
    });
  }

  private makeTellingClient(): TellingClient {
    return new TellingClient(
      new URL("./telling-thread.js", import.meta.url),
      { file: storeFile(this.settings), root: this.settings.root },
      (fault) => this.reportProblem(`A message could not be composed: ${fault.split("\n")[0] ?? ""}`),
    );
  }

  private makeTelling(): Telling {
    return new Telling({
      ...this.shared(),
      vault: this.vault,
      handOver: this.tellingClient.handOver,
      origin: originOf(this.settings),
      secret: readMasterKey(secretFile(this.settings)).key,
    });
  }

  private makePlatforms(tools: () => SourceTools): PlatformPoller {
    return new PlatformPoller({
      ...this.shared(),
      vault: this.vault,
      sampleWriter: this.sampleWriter,
      tools,
      machineMs: (ms) => machineSpanMs(this.clock, ms),
      onSeen: (id) => this.seenAt.set(id, this.now()),
      onCosts: (source, lines) =>
        void this.spend
          .takeTold(source, lines)
          .catch((error: unknown) =>
            this.reportProblem(
              storeProblem(error) ?? `The costs of ${source.name} could not be taken in: ${String(error)}`,
            ),
          ),
      onEstate: (retired) => this.noteEstateChange(retired),
    });
  }

  /** As much of it as people's commands need. */
  private makePorts(): CommandPorts {
    return {
      ...this.shared(),
      root: this.settings.root,
      sources: this.sweeps,
      mappings: new MappingDesk({
        ...this.shared(),
        vault: this.vault,
        onMappings: () => this.platforms.readAnew(),
      }),
      spend: this.spend,
      onSpend: () => this.tellEstate(),
      runs: this.runner,
      chores: this.chores,
      prepareRun: (asked) => prepareRun(this.repairs, asked, (id) => this.plannedWork(id)),
      dryRun: (prepared) => dryRun(this.repairs, prepared),
      telling: this.telling,
      standingAlarms: (id) =>
        alarmsOfIncident(this.db, id).flatMap((one) => (one.cleared_at === null && one.quiet === null ? [one.id] : [])),
      ingest: this.ingest,
      people: this.people,
      vault: this.vault,
      hostKeyAt: (address, port) => readHostKey(address, port, HOST_KEY_MS),
      onCredentials: () => {
        this.poller.reload(this.now());
        this.platforms.reload();
        this.platforms.signInAnew();
        this.ingest.tellTargets();
        this.ingest.tellTrapUsers();
      },
      identity: new IdentityByHand(
        this.db,
        () => this.now(),
        (retired) => this.takeUpNow(retired),
      ),
      onCollections: () => this.takeUpNow([]),
      onServices: () => this.takeUpNow([]),
      onQuiet: () => this.quiet.changed(),
      incidents: {
        merge: (id, into, by) => mergeByHand(this.db, id, into, by, this.estate.affected(), this.now()),
        split: (id, alarmIds, by) => splitByHand(this.db, id, alarmIds, by, this.estate.affected(), this.now()),
      },
      onRules: () => {
        this.judges.loadRules();
      },
      drills: this.demonstration && {
        ...this.demonstration.drills,
        setPace: (pace) => {
          this.paceKeeper?.want(pace);
          return this.setPace(pace);
        },
      },
    };
  }

  private tellEstate(): void {
    this.emit({ topic: "estate", atMs: this.now() });
  }

  /** Takes up at once what somebody waits for, and tells open pages. */
  private takeUpNow(retired: readonly number[]): void {
    this.afterEstateChange(retired);
    this.tellEstate();
  }

  /** What most parts need: the store, the clock, a voice. */
  private shared() {
    return {
      db: this.db,
      now: () => this.now(),
      emit: (event: LiveEvent) => this.emit(event),
      reportProblem: (message: string) => this.reportProblem(message),
    };
  }

  private refuseEarlierClock(): void {
    const newest = newestSampleMs(this.db);
    if (newest !== undefined && newest > this.now() + HOUR_MS)
      throw new PersonError(
        `The store holds data up to ${new Date(newest).toISOString()}, but the clock would start at ${new Date(this.now()).toISOString()}. Start with a later --now, or begin anew with --fresh.`,
      );
  }

  private makeJudges(): Judges {
    return new Judges(this.db, this.batches, this.sampleWriter, {
      kindOf: (id) => this.estate.kinds.get(id),
      isWatched: (id) => this.estate.isWatched(id),
      recall: (id, fromMs, toMs) => this.sampleWriter.recall(id, fromMs, toMs),
      isTwin: ({ resourceId, componentId, metric, instance }) =>
        resourceId !== null && this.sampleWriter.find({ componentId, serviceId: null }, metric, instance) !== undefined,
      serviceUid: (id) => this.estate.services.get(id)?.uid,
      nameOf: (id) => this.estate.components.get(id)?.name ?? `component ${id}`,
      entries: () => this.estate.entries,
      takes: (service, component, operation) => this.estate.ways.takes(service, component, operation),
      calleesOf: (id) => this.estate.calleesOf(id),
      servicesOf: (id) => this.estate.servicesOf(id),
      hostOf: (id) => this.estate.hostOf(id),
      components: () => this.estate.components,
      serviceIds: () => this.estate.services,
      beside: ({ componentId, serviceId, resourceId, instance }, metric) => {
        const other = this.sampleWriter.find({ componentId, serviceId, resourceId }, metric, instance);
        const value = other && this.sampleWriter.last(other).value;
        return value === undefined || Number.isNaN(value) ? undefined : value;
      },
      looksForEvidence: (atMs) => !this.inFastMotion || atMs >= this.pastEndsAtMs - EVIDENCE_MS,
      // The past is lived through in fast motion: what is learned there must not take long.
      learning: () => (this.inFastMotion ? LEARNING_FAST : LEARNING),
    });
  }

  private makeIngest(): Ingest {
    return new Ingest({
      ...this.shared(),
      sampleWriter: this.sampleWriter,
      batches: this.batches,
      accessAt: (endpoint) => accessToEndpoint(this.db, this.vault, this.settings.readOnlyFrom, endpoint),
      trapUsers: () => trapUsersOf(this.db, this.vault),
      tokens: () => tokensThatSend(this.db, this.settings.receiveToken),
      enrol: (asked, from) => this.people.enrol(asked, from),
      inventory: (report, from) => this.inventories.take(report, from),
      actions: (asks) => this.agentActions.take(asks),
      onUsed: (tokens) => this.people.used(tokens),
      // Taken up with the next tick: newcomers come in crowds.
      onGrown: () => (this.grown = true),
      onRelations: () => this.regroup(),
    });
  }

  private makeRepairs(): RunnerWorld {
    return {
      ...this.shared(),
      sampleWriter: this.sampleWriter,
      sleep: (ms, signal) => this.sleep(ms, signal),
      machineMs: (ms) => machineSpanMs(this.clock, ms),
      vault: this.vault,
      agentActions: this.agentActions,
      outputs: join(this.settings.data, "runs"),
    };
  }

  /** Planned work under way on a component, in words. */
  private plannedWork(id: number): string | null {
    return this.quiet.workOn({ type: "component", id }, this.now())?.reason ?? null;
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

  /** Takes up what changed in the estate: names, kinds, memberships, what is polled. */
  private reload(): void {
    this.estate.reload();
    this.poller.reload(this.now());
    this.platforms.reload();
    this.certificates.reload(this.now());
    this.batches.reload();
  }

  // --- first start

  /**
   * Prepares a new store: takes the set-up file in and, for the demonstration, lives through its past in fast motion:
   * real sweeps with the stand-ins' clock turned back, then every poll through ingest and engine.
   */
  async prepare(onProgress: (text: string) => void): Promise<void> {
    if (this.demonstration && this.settings.setup) {
      takeDemoPeople(this.db, this.settings.setup, this.now());
      // A store of the version before has sources, but none of the credentials that runbooks go with.
      if (readMeta(this.db, "prepared")) takeCredentials(this.db, this.settings.setup, this.vault, this.now());
    }
    if (readMeta(this.db, "prepared")) return this.takeTelling();
    writeMeta(this.db, "preparing", "1");
    const presentMs = this.now();
    const live = this.clock;
    const fromMs = presentMs - (this.demonstration ? this.settings.historyMs : 0);
    if (fromMs < presentMs) await this.setClock({ baseMs: fromMs, machineMs: Date.now(), pace: 1 });
    if (this.settings.setup) takeSetup(this.db, this.settings.setup, this.vault, this.now());
    const { demonstration } = this;
    if (demonstration && fromMs < presentMs) {
      this.inFastMotion = true;
      this.pastEndsAtMs = presentMs;
      await unforced(this.db, () => demonstration.liveThroughPast(this.pastContext(), fromMs, presentMs, onProgress));
      this.inFastMotion = false;
      await this.setClock({ ...live, baseMs: readClock(live, Date.now()), machineMs: Date.now() });
      this.reload();
      this.poller.spread(this.now());
    }
    this.db.transaction(() => {
      writeMeta(this.db, "prepared", String(presentMs));
      deleteMeta(this.db, "preparing");
    })();
    this.takeTelling();
  }

  /** Who is told in a demonstration; after its past, of which nobody is told. */
  private takeTelling(): void {
    if (this.demonstration && this.settings.setup) takeTelling(this.db, this.settings.setup, this.now());
  }

  private async setPace(pace: number): Promise<void> {
    await this.setClock({ baseMs: this.now(), machineMs: Date.now(), pace });
    this.emit({ topic: "clock", setting: this.clock, wantedPace: this.paceKeeper?.asked() ?? pace });
  }

  private async setClock(setting: ClockSetting): Promise<void> {
    this.clock = setting;
    await this.demonstration?.setClock(setting);
  }

  private pastContext(): Parameters<Demonstration["liveThroughPast"]>[0] {
    return {
      db: this.db,
      sampleWriter: this.sampleWriter,
      batches: this.batches,
      poller: this.poller,
      setClock: (setting) => this.setClock(setting),
      turnClock: (atMs) => (this.clock = { baseMs: atMs, machineMs: Date.now(), pace: 0 }),
      sweepAll: () => this.sweeps.sweepAll("initial sweep"),
      judge: () => this.evaluateFresh(),
      snapshots: (events) => this.snapshots.take(events),
      writeSeen: () => {
        this.writeSeen();
        this.seenAt.clear();
      },
      takeUp: () => this.afterEstateChange([]),
    };
  }

  // --- the tick

  start(): void {
    this.batches.expect(this.now());
    this.runner.resume();
    this.holdUps.start();
    const { demonstration } = this;
    if (demonstration) {
      this.paceKeeper = new PaceKeeper({
        holdUps: this.holdUps,
        beat: demonstration.beat,
        pace: () => this.clock.pace,
        set: (pace) => this.setPace(pace),
      });
      this.paceKeeper.start();
    }
    this.loop = this.run();
  }

  private async run(): Promise<void> {
    while (!this.stopping) {
      const started = this.now();
      this.goOn("What was measured cannot be judged at present", () => this.tick());
      // After the tick, which would keep their answers waiting.
      this.goOn("Not everything can be polled at present", () => this.lookDue());
      await this.sleep(Math.max(200, TICK_MS - (this.now() - started)));
    }
  }

  private lookDue(): void {
    void this.poller.pollDue(() => this.now());
    this.platforms.pollDue();
    void this.certificates.pollDue(() => this.now());
    this.sweeps.startDue();
  }

  /** Does a part of the loop; whatever goes wrong in it, the loop goes on, and it is told. */
  private goOn(problem: string, work: () => void): void {
    try {
      work();
    } catch (error) {
      const known = storeProblem(error);
      if (known === undefined) this.onFault(error);
      this.reportProblem(known ?? `${problem}: ${error instanceof Error ? error.message : String(error)}.`);
    }
  }

  /**
   * One tick: judge the new samples, correlate, write everything, tell open pages. Throws where nothing of it was kept.
   */
  private tick(how: "tick" | "everything" = "tick"): void {
    try {
      if (this.grown && performance.now() >= this.takeUpFromMs) {
        this.grown = false;
        const started = performance.now();
        this.afterEstateChange([]);
        // What takes long on a large estate is done the more seldom.
        this.takeUpFromMs = performance.now() + TAKE_UP_REST * (performance.now() - started);
        this.emit({ topic: "estate", atMs: this.now() });
      }
      const { events, ended } = this.sampleWriter.commit(how, () => {
        const { heard, retired } = this.batches.listen(this.now());
        for (const id of heard) this.seenAt.set(id, this.now());
        const raised = this.evaluateFresh();
        this.writeSeen();
        if (this.poller.talks.write(this.now()) > 0) this.grown = true;
        return { events: raised, ended: retired };
      });
      this.sampleWriter.judged();
      this.seenAt.clear();
      this.tellTick(events, ended);
      this.lookAgain();
      this.tellPeople();
      this.repair();
      // On its own, because it reads what was just committed.
      this.db.transaction(() => this.keepHouse(this.now()))();
      this.credentialUses.note(this.now());
      void this.snapshots.take(events);
      this.failedTicks = 0;
    } catch (error) {
      // Nothing of this tick was kept: its samples stay in memory and are judged and written with the next one.
      this.judges.reload();
      this.sampleWriter.bound();
      const isOfStore = storeProblem(error) !== undefined;
      // What fails again and again for no reason of the store may be about a sample: it is kept without being judged.
      this.failedTicks = isOfStore ? 0 : this.failedTicks + 1;
      if (this.failedTicks >= MOST_FAILED_TICKS) this.sampleWriter.judged();
      throw error;
    }
  }

  /** Looks at the causes of young incidents again; trouble with that stops nothing else. */
  private lookAgain(): void {
    if (this.inFastMotion) return;
    try {
      this.tellIncidents(this.reconsider.work(this.now()));
    } catch (error) {
      this.reportProblem(storeProblem(error) ?? `Causes are not looked at again at present: ${String(error)}`);
    }
  }

  /** Decides who is told, and sends; trouble with that stops nothing else. */
  private tellPeople(): void {
    try {
      this.telling.work(this.now());
    } catch (error) {
      this.reportProblem(storeProblem(error) ?? `Nobody can be notified at present: ${String(error)}`);
    }
  }

  /** Proves what was repaired, and lets policies act; trouble with that stops nothing else. */
  private repair(): void {
    if (this.inFastMotion) return;
    try {
      this.policies.work(this.now());
      this.chores.work(this.now());
    } catch (error) {
      this.reportProblem(storeProblem(error) ?? `Nothing is repaired by itself at present: ${String(error)}`);
    }
  }

  private tellTick(events: readonly AlarmEvent[], ended: readonly number[]): void {
    if (ended.length) {
      this.afterEstateChange(ended);
      this.emit({ topic: "estate", atMs: this.now() });
    }
    if (this.problem) {
      this.problem = null;
      this.emit({ topic: "problem", message: null });
    }
    const atMs = this.now();
    this.emit({ topic: "tick", atMs, samples: this.sampleWriter.taken - this.takenBefore });
    this.takenBefore = this.sampleWriter.taken;
    if (events.length) this.emit({ topic: "alarms", atMs });
  }

  /** Rollups and retention, for a short time at each tick. */
  private keepHouse(atMs: number): void {
    const retention = readRetention(this.db);
    this.roller.work(atMs, retention, ROLLING_BUDGET_MS);
    this.batches.sumUp(atMs, ROLLING_BUDGET_MS);
    this.batches.forget(atMs - retention.logsMs, atMs - retention.spansMs);
    forgetRuns(this.db, atMs - retention.historyMs);
    this.history.purge(atMs, retention.historyMs);
  }

  /** Says on every page that something is wrong with the store, once. */
  reportProblem(message: string): void {
    if (message === this.problem) return;
    this.problem = message;
    this.emit({ topic: "problem", message });
  }

  private evaluateFresh(): AlarmEvent[] {
    const atMs = this.now();
    const events = this.judges.evaluate(this.sampleWriter.fresh, atMs);
    const heard = this.quiet.hear(events, atMs);
    if (heard.length) this.follow(heard);
    const measured = this.measured.changed(atMs);
    if (measured.length)
      refreshHealth(
        this.db,
        measured.map((id) => ({ type: "service", id })),
        this.healthContext(),
        atMs,
      );
    return events;
  }

  private healthContext(): HealthContext {
    return {
      servicesOf: this.estate.members,
      isMeasured: (id) => this.judges.isMeasured(id),
      takes: (service, component, operation) => this.estate.ways.takes(service, component, operation),
    };
  }

  private follow(events: readonly AlarmEvent[], atMs = events.at(-1)?.atMs ?? this.now()): void {
    refreshHealth(
      this.db,
      events.map((event) => event.subject),
      this.healthContext(),
      atMs,
    );
    const incidents = correlate(this.db, events, this.estate.affected());
    if (!this.inFastMotion) this.tellIncidents(incidents);
  }

  private tellIncidents(incidents: readonly IncidentEvent[]): void {
    for (const { incidentId, what } of incidents) {
      this.telling.hear(incidentId);
      this.emit({ topic: "incident", id: incidentId, what });
    }
  }

  /** Works services out anew from the present relations. */
  private regroup(): void {
    this.estate.regroup();
    this.judges.estateChanged();
  }

  private writeSeen(): void {
    for (const [id, atMs] of this.seenAt) touchSeen(this.db, id, atMs);
  }

  /** Takes up that the estate changed: with the next tick, because changes come in crowds; at once while the past is lived. */
  private noteEstateChange(retired: readonly number[]): void {
    if (this.inFastMotion) return this.afterEstateChange(retired);
    this.clearAlarms(retired, []);
    this.grown = true;
  }

  /** Clears the alarms of what left the estate, and of what is not watched any more. */
  private clearAlarms(retired: readonly number[], left: readonly number[]): void {
    if (retired.length === 0 && left.length === 0) return;
    const atMs = this.now();
    const events = this.db.transaction(() => {
      const clear = (ids: readonly number[], why: string) =>
        ids.flatMap((id) => this.judges.clearComponent(id, why, atMs));
      const cleared = [
        ...clear(retired, "No longer monitored"),
        ...clear(left, "Not watched any more, by a collection it belongs to"),
      ];
      if (cleared.length) this.follow(cleared);
      return cleared;
    })();
    if (events.length) this.emit({ topic: "alarms", atMs });
  }

  private afterEstateChange(retired: readonly number[]): void {
    const atMs = this.now();
    const left = this.db.transaction(() => applyCollections(this.db, atMs))();
    this.clearAlarms(retired, left);
    const before = [...this.estate.services.keys()];
    this.regroup();
    this.reload();
    const gone = before.filter((id) => !this.estate.services.has(id));
    if (gone.length)
      this.db.transaction(() =>
        this.follow(
          gone.flatMap((id) => this.judges.clearService(id, atMs)),
          atMs,
        ),
      )();
  }

  // --- from outside

  /** Has a person's command carried out. */
  command<Name extends CommandName>(who: Principal, name: Name, input: unknown): Promise<CommandOutput<Name>> {
    return execute(this.ports, who, name, input);
  }

  signIn(way: string, given: unknown, from: From): Promise<{ code: string }> {
    return this.people.signIn(way, given, from);
  }

  join(code: string, given: unknown, from: From): Promise<{ code: string }> {
    return this.people.join(code, given, from);
  }

  async signOut(sessionId: number, name: string, from: From): Promise<void> {
    this.people.signOut(sessionId, name, from);
  }

  async seenPeople(...used: Parameters<People["seen"]>): Promise<void> {
    this.people.seen(...used);
  }

  async refused(...what: Parameters<People["refused"]>): Promise<void> {
    this.people.refused(...what);
  }

  /** The code of a first administrator's link, where nobody could sign in. */
  async firstLink(): Promise<string | undefined> {
    return this.people.firstLink();
  }

  /** Takes the receivers' end of the line. */
  attach = (port: MessagePort) => this.ingest.attach(port);

  /** The drills as they stand; attempts at those that are over are ended with them. */
  async drills(): Promise<Drill[] | null> {
    if (!this.demonstration) return null;
    const list = await this.demonstration.drills.list();
    for (const attempt of openAttempts(this.db)) {
      const drill = list.find((one) => one.id === attempt.drill);
      if (drill?.activeSinceMs !== undefined) continue;
      const endedAt = drill?.ended?.atMs ?? this.now();
      updateAttempt(this.db, {
        ...attempt,
        endedAt: Math.max(attempt.startedAt, endedAt),
        endedHow: drill?.ended?.how ?? "ended",
      });
    }
    return list;
  }

  /** What arrived at the stand-ins' mail server and webhook receiver; one message whole, by its number. */
  async mailbox(number?: number): Promise<Arrivals | OpenedMail | null> {
    if (!this.demonstration) return null;
    return number === undefined ? this.demonstration.arrivals() : this.demonstration.mail(number);
  }

  /** Figures about the engine itself. */
  itself() {
    return {
      hosts: this.poller.hosts.size,
      pollsDone: this.poller.done,
      pollsMissed: this.poller.missed,
      samplesRepeated: this.sampleWriter.repeated,
      samplesLate: this.sampleWriter.lateCount,
      samplesPending: this.sampleWriter.pending,
      received: this.ingest.received ?? null,
      samplesSent: this.batches.samples,
      recordsSent: this.batches.records,
      spansSent: this.batches.spans,
      eventsSent: this.batches.events,
      scraped: this.ingest.scraped,
      problem: this.problem,
    };
  }

  /** Orderly end: no new work, everything written, the log folded into the store. */
  async close(): Promise<void> {
    this.stopping = true;
    this.holdUps.stop();
    this.paceKeeper?.stop();
    this.inventories.stop();
    this.platforms.stop();
    this.ingest.close();
    this.telling.stop();
    await this.tellingClient.close();
    await withDeadline(ENDING_MS, undefined, () => Promise.all([this.sweeps.stopAll(), this.runner.stopAll()])).catch(
      () => undefined,
    );
    this.goOn("Not everything could be written", () => this.tick("everything"));
    this.db.pragma("wal_checkpoint(TRUNCATE)");
    this.db.close();
  }
}
