import { mayStartEarly, nextStart } from "#core/time/schedule";
import { DAY_MS } from "#core/time/windows";
import type { SourceInput } from "../settings";
import { observerOf, SweepRun } from "./sweep-run";
import type { LiveEvent } from "../events";
import { setSourceCredentials, credentialById } from "../store/credentials";
import type { Access } from "../vault/kinds";
import type { Vault } from "../vault/vault";
import { insertChange, lastWithTicket } from "../store/changes";
import { PersonError, storeProblem, type Db } from "../store/database";
import { retireComponent } from "../store/estate";
import { renameObserver } from "../store/labels";
import { handOverTo, inheritorsOf } from "../store/sightings";
import {
  deleteSource,
  endSweep,
  forgetSweeps,
  insertSource,
  insertSweep,
  lastSweepAt,
  listSources,
  runningSweep,
  sourceById,
  sourceNamed,
  updateSource,
  updateSweep,
  type SourceRow,
} from "../store/sources";
import type { Checked, SourceDriver, SourceTools } from "../sources/driver";
import { driverOf } from "../sources/registry";
import { UnknownHosts, type UnknownHost } from "./unknown-hosts";

const CHECK_MS = 15_000;
/** Whether a sweep is due is looked at so often, in the clock's time. */
const DUE_EVERY_MS = 15_000;
/** A change names a ticket: the tickets are read at once, so often at the most. */
const TICKETS_AT_MOST_MS = 60_000;
/** Sweeps are kept so long, and so many of each source whatever their age. */
const SWEEPS_KEPT_MS = 90 * DAY_MS;
const SWEEPS_KEPT = 20;

export interface SweepContext {
  db: Db;
  vault: Vault;
  now: () => number;
  emit: (event: LiveEvent) => void;
  tools: () => SourceTools;
  reportProblem: (message: string) => void;
  /** Called when sources were added or changed. */
  onSources: () => void;
  /** Called when something was taken in, with the components that left the estate by it. */
  onEstate: (retired: readonly number[]) => void;
}

/** Sources and their sweeps: what is looked for where, and the looks under way. */
export class Sweeps {
  private readonly running = new Map<number, { abort: AbortController; work: Promise<void> }>();

  constructor(private readonly context: SweepContext) {
    this.unknownHosts = new UnknownHosts(context.db);
  }

  saveSource(id: number | undefined, input: SourceInput, by: string): number {
    const { db, vault, now } = this.context;
    const driver = driverOf(input.kind);
    const twin = sourceNamed(db, input.name);
    if (twin && twin.id !== id)
      throw new PersonError(`There is a source called “${input.name}” already. Choose another name, or edit that one.`);
    const { credential } = driver;
    const sealed = credential && input.credential ? vault.seal({ [credential.field]: input.credential }) : undefined;
    const own = credential && {
      kind: credential.kind,
      destinations: credential.destinations(input.settings),
      sealed,
    };
    const others = this.usable(input);
    if (driver.needsCredential && !others?.length)
      throw new PersonError(driver.needsCredential, { credentials: driver.needsCredential });
    const saved = db.transaction(() => {
      if (id === undefined) {
        if (credential && sealed === undefined && !others?.length)
          throw new PersonError(`Give the ${credential.label}. ${credential.help}`);
        const made = insertSource(db, input, sealed, now(), own);
        if (others) setSourceCredentials(db, made, others);
        insertChange(db, {
          atMs: now(),
          kind: "setting",
          componentId: null,
          summary: `Source ${input.name} was added`,
          by,
        });
        return made;
      }
      if (sealed === undefined) this.keptFor(id, input);
      const before = sourceById(db, id);
      if (!before) throw new PersonError("That source does not exist any more.");
      if (driver.hearsay)
        renameObserver(db, observerOf(driver.hearsay, before.name), observerOf(driver.hearsay, input.name));
      updateSource(db, id, input, own, now());
      if (others) setSourceCredentials(db, id, others);
      insertChange(db, {
        atMs: now(),
        kind: "setting",
        componentId: null,
        summary: `Source ${input.name} was changed`,
        by,
      });
      return id;
    })();
    this.context.onSources();
    return saved;
  }

  /**
   * Takes a source away. What another source sees too goes on as that one sees it; what nobody else sees leaves the
   * estate, for nobody would notice that it had gone.
   */
  removeSource(id: number, by: string): string {
    const { db, now } = this.context;
    const source = sourceById(db, id);
    if (!source) throw new PersonError("That source does not exist any more.");
    this.stopOf(id, by);
    const retired = db.transaction(() => {
      const gone: number[] = [];
      for (const { id: component, other, depth, reader } of inheritorsOf(db, id)) {
        if (other !== null) {
          handOverTo(db, component, { other, depth, reader });
          continue;
        }
        retireComponent(db, component, now());
        gone.push(component);
      }
      deleteSource(db, id);
      const left = gone.length ? `; ${gone.length} components that only it saw left the estate` : "";
      const summary = `Source ${source.name} was removed${left}`;
      insertChange(db, { atMs: now(), kind: "setting", componentId: null, summary, by });
      return gone;
    })();
    this.context.onSources();
    this.context.onEstate(retired);
    return source.name;
  }

  private stopOf(sourceId: number, by: string): void {
    const sweep = runningSweep(this.context.db, sourceId);
    if (sweep !== undefined) this.stop(sweep, by);
  }

  /** Credentials that a source names besides its own; undefined where it says nothing of them. */
  private usable({ kind, credentials }: SourceInput): number[] | undefined {
    const { uses = [] } = driverOf(kind);
    for (const id of credentials ?? []) {
      const one = credentialById(this.context.db, id);
      if (!one) throw new PersonError("One of the credentials is not there any more. Load the page again.");
      if (!uses.includes(one.kind))
        throw new PersonError(`${one.name} cannot be used by this kind of source. Leave it out.`);
    }
    return credentials;
  }

  /**
   * Makes sure that the secret kept for a source may be used with changed settings: whoever edits a source must not be
   * able to have it sent to a place of their own.
   */
  private keptFor(id: number, { kind, settings }: SourceInput): void {
    const source = sourceById(this.context.db, id);
    if (!source) throw new PersonError("That source does not exist any more.");
    const { credential } = driverOf(kind);
    if (!credential || source.credential_id === null) return;
    if (source.kind === kind && credential.serves(settings, source.settings)) return;
    const ask = `Give the ${credential.label} again: the one that is kept was given for other addresses.`;
    throw new PersonError(ask, { credential: ask });
  }

  /** Tries a source's settings without keeping anything; an empty credential means the one kept for `id`. */
  async check(id: number | undefined, input: SourceInput): Promise<Checked> {
    if (id !== undefined && input.credential === undefined) this.keptFor(id, input);
    const abort = new AbortController();
    const timer = setTimeout(() => abort.abort(), CHECK_MS);
    try {
      const access = this.accessToTry(id, input);
      return await driverOf(input.kind).check(input.settings, access, abort.signal, this.context.tools());
    } finally {
      clearTimeout(timer);
    }
  }

  /** What a test uses: the secret just typed in, or the one kept, and the others of the form. */
  private accessToTry(id: number | undefined, input: SourceInput): Access[] {
    const { db, vault } = this.context;
    const purpose = `testing ${input.name}`;
    const { credential } = driverOf(input.kind);
    const source = id === undefined ? undefined : sourceById(db, id);
    const kept = source?.credential_id == null ? undefined : credentialById(db, source.credential_id);
    const own: Access[] =
      credential && input.credential
        ? [
            {
              id: 0,
              name: input.name,
              kind: credential.kind,
              fields: { [credential.field]: input.credential },
              destinations: credential.destinations(input.settings),
            },
          ]
        : kept
          ? [vault.use(kept, purpose)]
          : [];
    const others = this.usable(input) ?? [];
    return [
      ...own,
      ...others.flatMap((other) => credentialById(db, other) ?? []).map((one) => vault.use(one, purpose)),
    ];
  }

  /**
   * Starts a sweep and returns its id at once, or waits for its end when asked to.
   * @param misses whether what it does not meet counts as missing
   */
  async start(sourceId: number, by: string, wait = false, misses = true): Promise<number> {
    const source = sourceById(this.context.db, sourceId);
    if (!source) throw new PersonError("That source does not exist any more.");
    if (runningSweep(this.context.db, sourceId))
      throw new PersonError(`A sweep of ${source.name} is already running. Follow it, or stop it first.`);
    const driver = driverOf(source.kind);
    if (!driver.discover) throw new PersonError(`${source.name} cannot be swept: its hosts report by themselves.`);
    const { places } = driver.covers(source.settings);
    const id = insertSweep(this.context.db, sourceId, by, places, this.context.now());
    const abort = new AbortController();
    this.context.emit({ topic: "sweep", id, state: "running" });
    const work = this.sweep(id, source, abort.signal, misses).finally(() => this.running.delete(id));
    this.running.set(id, { abort, work });
    if (wait) await work;
    return id;
  }

  private async sweep(id: number, source: SourceRow, signal: AbortSignal, misses: boolean): Promise<void> {
    const { db, now, emit } = this.context;
    const run = new SweepRun(this.context, id, source);
    const progress = setInterval(() => {
      this.keep(() => updateSweep(db, id, run.counts));
      emit({ topic: "sweep", id, state: "running" });
    }, 400);
    try {
      await run.follow(this.context.vault.ofSource(source.id, `sweeping ${source.name}`), signal);
      const complete = !signal.aborted;
      run.end(complete && misses);
      endSweep(db, id, complete ? "done" : "stopped", run.message(signal), now());
    } catch (error) {
      const reason = `The sweep broke off: ${error instanceof Error ? error.message : error}`;
      this.keep(() => endSweep(db, id, "failed", storeProblem(error) ?? reason, now()));
    } finally {
      clearInterval(progress);
      emit({ topic: "sweep", id, state: "ended" });
      emit({ topic: "estate", atMs: now() });
    }
  }

  /** Writes something that is not worth breaking off for; trouble with the disk is said instead. */
  private keep(write: () => void): void {
    try {
      write();
    } catch (error) {
      const message = storeProblem(error);
      if (!message) throw error;
      this.context.reportProblem(message);
    }
  }

  /** Starts the sweeps whose time has come, and forgets old ones; called with each tick. */
  startDue(): void {
    const { db, now } = this.context;
    const atMs = now();
    if (atMs < this.lookAgainMs && atMs >= this.lookedMs) return;
    this.lookedMs = atMs;
    this.lookAgainMs = atMs + DUE_EVERY_MS;
    this.lookForTickets();
    const unknown = this.unknownHosts.look(atMs);
    for (const source of listSources(db)) {
      const driver = driverOf(source.kind);
      if (!driver.discover || runningSweep(db, source.id)) continue;
      const why = this.whyNow(source, driver, unknown, atMs);
      if (why === undefined) continue;
      if (driver.hasTickets) this.wantsTickets = false;
      // What is gone is gone when it was missed at the times of the schedule, not by two sweeps a few minutes apart.
      this.start(source.id, why.text, false, !why.isEarly).catch((error: unknown) =>
        this.context.reportProblem(
          storeProblem(error) ?? `The sweep of ${source.name} did not start: ${String(error)}`,
        ),
      );
    }
    if (atMs - this.forgotMs < DAY_MS) return;
    this.forgotMs = atMs;
    this.keep(() => forgetSweeps(db, atMs - SWEEPS_KEPT_MS, SWEEPS_KEPT));
  }

  /** Why a source is swept now, if it is, and whether that is before its time. */
  private whyNow(
    source: SourceRow,
    driver: Pick<SourceDriver, "hasTickets" | "findsHosts">,
    unknown: UnknownHost | undefined,
    atMs: number,
  ): { text: string; isEarly?: boolean } | undefined {
    const lastMs = lastSweepAt(this.context.db, source.id) ?? source.createdAt;
    if (driver.hasTickets && this.wantsTickets && atMs - lastMs >= TICKETS_AT_MOST_MS)
      return { text: "a change that names a ticket" };
    const next = nextStart(source.sweeps, source.id, lastMs);
    if (next !== undefined && next <= atMs) return { text: "its schedule" };
    if (
      driver.findsHosts &&
      unknown &&
      lastMs < unknown.sinceMs &&
      mayStartEarly(source.sweeps, source.id, lastMs, atMs)
    )
      return { text: `a sender on an unknown host, ${unknown.name}`, isEarly: true };
    return undefined;
  }

  /** Notes whether a change has named a ticket since this was last asked. */
  private lookForTickets(): void {
    const last = lastWithTicket(this.context.db, this.withTicket ?? 0);
    if (this.withTicket !== undefined && last !== undefined) this.wantsTickets = true;
    this.withTicket = last ?? this.withTicket ?? 0;
  }
  private withTicket: number | undefined;
  private wantsTickets = false;
  private readonly unknownHosts: UnknownHosts;
  private lookedMs = -Infinity;
  private lookAgainMs = -Infinity;
  private forgotMs = -Infinity;

  /** Sweeps every source that can be swept, and waits for the end. */
  async sweepAll(by: string): Promise<void> {
    const sweepable = listSources(this.context.db).filter((source) => driverOf(source.kind).discover);
    await Promise.all(sweepable.map((source) => this.start(source.id, by, true)));
  }

  /** @param by who ends it; stands in its message */
  stop(id: number, by: string): boolean {
    const sweep = this.running.get(id);
    sweep?.abort.abort(by);
    return sweep !== undefined;
  }

  /** Stops every sweep under way, and waits until each has written how it ended. */
  async stopAll(): Promise<void> {
    const under = [...this.running.values()];
    for (const { abort } of under) abort.abort("the end of the program");
    await Promise.allSettled(under.map(({ work }) => work));
  }
}
