import { join } from "node:path";
import type { MessagePort } from "node:worker_threads";
import { machineSpanMs, readClock, type ClockSetting } from "#core/time/clock";
import { HOUR_MS } from "#core/time/windows";
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
import { mergeByHand, splitByHand } from "../incidents/by-hand";
import { Reconsider } from "../incidents/reconsider";
import { refreshOpen } from "../incidents/refresh";
import { BatchIngest } from "../ingest/batches";
import { Ingest } from "../ingest/ingest";
import { Roller } from "../ingest/rollups";
import { SampleWriter } from "../ingest/sample-writer";
import { withDeadline } from "../outside/deadline";
import { People, type From } from "../people/people";
import type { Principal } from "../people/principal";
import { EstateChanges } from "./estate-changes";
import { FirstStart } from "./first-start";
import { KnownEstate } from "./known-estate";
import { Loop } from "./loop";
import { openPrepared } from "./open-prepared";
import { Problems } from "./problems";
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
import { AgentInventories } from "../estate/agent-inventories";
import { IdentityByHand } from "../estate/by-hand";
import type { SourceTools } from "../sources/driver";
import { sourceTools } from "../estate/source-tools";
import { Sweeps } from "../estate/sweeps";
import { openAttempts, updateAttempt } from "../store/drills";
import { PersonError, storeProblem, type Db } from "../store/database";
import { alarmsOfIncident, componentsInTrouble } from "../store/incidents";
import { newestSampleMs } from "../store/signals";
import { endInterruptedSweeps } from "../store/sources";
import { chainUp } from "../store/audit";
import type { LiveEvent } from "../events";
import { offerKits } from "../kits/kits";

/** Hosts whose agents can enrol with the code of --enrol-code-file within a day. */
const MOST_ENROLLED_BY_SETUP = 5_000;
/** A host has this long to show its key. */
const HOST_KEY_MS = 8_000;
/** What is under way has this long to write how it ended, machine time. */
const ENDING_MS = 5_000;
/** Machine time a tick may spend on learning what is usual; less while the past is lived through. */
const LEARNING = { budgetMs: 25, seldom: 1 };
const LEARNING_FAST = { budgetMs: 4, seldom: 5 };
/**
 * Puts the parts together: sources, polls, ingest, alarms, incidents, runs, and the loop that has them work. The store's
 * one writer; lives on a worker thread.
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
  private readonly changes: EstateChanges;
  private readonly firstStart: FirstStart;
  private readonly loop: Loop;
  private readonly problems = new Problems((event) => this.emit(event));
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
    this.batches = new BatchIngest(this.db, this.sampleWriter);
    this.firstStart = this.makeFirstStart();
    this.judges = this.makeJudges();
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
      onEstate: (retired) => this.changes.takeUpNow(retired),
    });
    this.snapshots = new Snapshots({ ...this.shared(), poller: this.poller, isStopping: () => this.loop.isStopping });
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
    this.changes = this.makeChanges();
    this.loop = this.makeLoop();
    this.ports = this.makePorts();
    this.estate.readRelations();
    this.changes.reload();
  }

  private makeFirstStart(): FirstStart {
    return new FirstStart({
      ...this.shared(),
      settings: this.settings,
      vault: this.vault,
      demonstration: this.demonstration,
      clock: () => this.clock,
      setClock: (setting) => this.setClock(setting),
      past: () => this.pastContext(),
      onPresent: () => {
        this.changes.reload();
        this.poller.spread(this.now());
      },
    });
  }

  private makeChanges(): EstateChanges {
    return new EstateChanges({
      ...this.shared(),
      estate: this.estate,
      judges: this.judges,
      poller: this.poller,
      platforms: this.platforms,
      certificates: this.certificates,
      batches: this.batches,
      follow: (events, atMs) => this.loop.follow(events, atMs),
      isInPast: this.firstStart.isInPast,
    });
  }

  private makeLoop(): Loop {
    return new Loop({
      ...this.shared(),
      sleep: (ms) => this.sleep(ms),
      onFault: this.onFault,
      problems: this.problems,
      estate: this.estate,
      changes: this.changes,
      sampleWriter: this.sampleWriter,
      batches: this.batches,
      judges: this.judges,
      measured: this.measured,
      quiet: this.quiet,
      history: new History(this.db),
      reconsider: new Reconsider(this.db, () => this.estate.affected()),
      roller: new Roller(this.db, this.sampleWriter),
      poller: this.poller,
      platforms: this.platforms,
      certificates: this.certificates,
      sweeps: this.sweeps,
      credentialUses: this.credentialUses,
      snapshots: this.snapshots,
      telling: this.telling,
      policies: this.policies,
      chores: this.chores,
      isInPast: this.firstStart.isInPast,
    });
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
      onSources: () => this.changes.reload(),
      onEstate: (retired) => this.changes.note(retired),
    });
  }

  private makePoller(tools: () => SourceTools): Poller {
    return new Poller(
      this.db,
      this.vault,
      this.sampleWriter,
      (id) => this.loop.saw(id),
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
      onSpend: () => this.changes.tellEstate(),
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
      onSeen: (id) => this.loop.saw(id),
      onCosts: (source, lines) =>
        void this.spend
          .takeTold(source, lines)
          .catch((error: unknown) =>
            this.reportProblem(
              storeProblem(error) ?? `The costs of ${source.name} could not be taken in: ${String(error)}`,
            ),
          ),
      onEstate: (retired) => this.changes.note(retired),
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
      onSpend: () => this.changes.tellEstate(),
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
        (retired) => this.changes.takeUpNow(retired),
      ),
      onCollections: () => this.changes.takeUpNow([]),
      onServices: () => this.changes.takeUpNow([]),
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
      siteOf: (id) => this.estate.components.get(id)?.site ?? "",
      troubledServices: () => this.estate.servicesOver(componentsInTrouble(this.db)),
      servicesOf: (id) => this.estate.servicesOf(id),
      hostOf: (id) => this.estate.hostOf(id),
      components: () => this.estate.components,
      serviceIds: () => this.estate.services,
      beside: ({ componentId, serviceId, resourceId, instance }, metric) => {
        const other = this.sampleWriter.find({ componentId, serviceId, resourceId }, metric, instance);
        const value = other && this.sampleWriter.last(other).value;
        return value === undefined || Number.isNaN(value) ? undefined : value;
      },
      looksForEvidence: (atMs) => this.firstStart.looksForEvidence(atMs),
      // The past is lived through in fast motion: what is learned there must not take long.
      learning: () => (this.firstStart.isInPast() ? LEARNING_FAST : LEARNING),
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
      onGrown: () => this.changes.noteNewcomers(),
      onRelations: () => this.changes.regroup(),
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

  /** Prepares a new store, with its past where it has one. */
  prepare(onProgress: (text: string) => void): Promise<void> {
    return this.firstStart.prepare(onProgress);
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
      judge: () => this.loop.evaluateFresh(),
      snapshots: (events) => this.snapshots.take(events),
      writeSeen: () => this.loop.writeAllSeen(),
      takeUp: () => this.changes.takeUp([]),
    };
  }

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
    void this.loop.run();
  }

  /** Says on every page that something is wrong with the store, once. */
  reportProblem(message: string): void {
    this.problems.report(message);
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
      problem: this.problems.current,
    };
  }

  /** Orderly end: no new work, everything written, the log folded into the store. */
  async close(): Promise<void> {
    this.loop.stop();
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
    this.loop.goOn("Not everything could be written", () => this.loop.tick("everything"));
    this.db.pragma("wal_checkpoint(TRUNCATE)");
    this.db.close();
  }
}
