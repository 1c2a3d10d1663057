import type { FocusLine } from "#core/spend/focus";
import type { CostMemory, PlatformChange } from "../sources/driver";
import { createHash } from "node:crypto";
import type { Observation, Look } from "#core/estate/observation";
import type { SampleWriter } from "../ingest/sample-writer";
import { platformObserver } from "../estate/sweep-run";
import { relateObserved } from "../estate/relate";
import { takeInFew, takeInSilence } from "../estate/take-in";
import type { Found, Measure, SourceDriver, SourceTools } from "../sources/driver";
import { driverOf } from "../sources/registry";
import { insertChange } from "../store/changes";
import { storeProblem, type Db } from "../store/database";
import { componentById } from "../store/estate";
import { noteRun } from "../store/jobs";
import { StoredEstate } from "../store/known";
import { unwatched } from "../store/labels";
import {
  componentsOfPrefix,
  notePlatform,
  notePlatformProblem,
  platformOf,
  setPlatformFailures,
} from "../store/platforms";
import { listSources, type SourceRow } from "../store/sources";
import type { Vault } from "../vault/vault";

/** A look ends after so long, machine time, whatever hangs. */
const LOOK_MS = 120_000;
/** Things that stand as they stood are noted as seen so often, clock time. */
const SEEN_EVERY_MS = 60_000;
const GONE = "Its platform has it no more";
/** What is related or written in one go; others have room in between. */
const AT_ONCE = 500;
/** Runs of jobs that are noted in one round. */
const MOST_RUNS = 1_000;
/** Components that one look may bring. */
const MOST_NEW = 50_000;

/** What is remembered of a platform from look to look. */
interface Followed {
  source: SourceRow;
  driver: SourceDriver;
  everyMs: number;
  nextMs: number;
  /** Components by their keys, and a digest of what was last taken in of each. */
  ids: Map<string, number>;
  /** Runs of jobs as they were noted in the round before. */
  runs: Set<string>;
  digests: Map<string, string>;
  /** What leads to something that is not known yet, by key. */
  pending: Map<string, { observation: Observation; id: number }>;
  /** Keys by their prefix, as listed in full before. */
  listed: Map<string, Set<string>>;
  seenMs: number;
  costs: CostMemory;
}

export interface PlatformContext {
  db: Db;
  vault: Pick<Vault, "ofSource">;
  sampleWriter: SampleWriter;
  now: () => number;
  tools: () => SourceTools;
  /** How long something of the clock's time takes on the machine. */
  machineMs: (ms: number) => number;
  onSeen: (componentId: number) => void;
  reportProblem: (message: string) => void;
  /** Takes in what is charged for. */
  onCosts: (source: { id: number; name: string }, lines: readonly FocusLine[]) => void;
  /** Called when something was taken in, with the components that left the estate by it. */
  onEstate: (retired: readonly number[]) => void;
}

/** Looks at every platform again and again: what changed is taken in at once, what is measured is written. */
export class PlatformPoller {
  private followed = new Map<number, Followed>();
  private readonly busy = new Map<number, AbortController>();
  private off: Pick<ReadonlySet<number>, "has"> = new Set<number>();
  missed = 0;
  done = 0;

  constructor(private readonly context: PlatformContext) {}

  reload(): void {
    const { db, now } = this.context;
    this.off = unwatched(db);
    const before = this.followed;
    this.followed = new Map(
      listSources(db).flatMap((source) => {
        const driver = driverOf(source.kind);
        if (!(driver.look || driver.follow) || source.pollSeconds === undefined) return [];
        const known = before.get(source.id);
        const settingsOf = (one: SourceRow) => JSON.stringify([one.name, one.site, one.settings, one.pollSeconds]);
        const same = known && settingsOf(known.source) === settingsOf(source);
        // What was read with other settings says nothing of what is read with these.
        if (known && !same) this.busy.get(source.id)?.abort();
        return [
          [
            source.id,
            {
              ...(same ? known : fresh(now())),
              source,
              driver,
              everyMs: source.pollSeconds * 1000,
            },
          ],
        ];
      }),
    );
    for (const [id, abort] of this.busy) if (!this.followed.has(id)) abort.abort();
  }

  /** Credentials were changed: what is under way goes on with those of before, so it begins anew. */
  signInAnew(): void {
    for (const abort of this.busy.values()) abort.abort();
    for (const one of this.followed.values()) one.nextMs = this.context.now();
  }

  /** Looks at everything anew, as if nothing had been read before: what is read has another meaning. */
  readAnew(): void {
    for (const one of this.followed.values()) {
      one.digests.clear();
      one.nextMs = this.context.now();
    }
  }

  /** Looks at what is due; looks go on by themselves. */
  pollDue(): void {
    const atMs = this.context.now();
    for (const [id, one] of this.followed) {
      if (one.nextMs > atMs && one.nextMs - atMs <= one.everyMs) continue;
      const late = Math.max(0, Math.floor((atMs - one.nextMs) / one.everyMs));
      one.nextMs = atMs + one.everyMs;
      this.missed += Math.min(late, 1_000);
      if (!this.busy.has(id)) void this.follow(one);
    }
  }

  /** Ends every look under way. */
  stop(): void {
    for (const abort of this.busy.values()) abort.abort();
    this.followed.clear();
  }

  /** Looks at one source now, and waits for the end. */
  async look(sourceId: number): Promise<void> {
    const one = this.followed.get(sourceId);
    if (one && !this.busy.has(sourceId)) await this.follow(one);
  }

  /** What went wrong is noted; where that cannot be written either, it is said, and everything is taken in anew next time. */
  private takeFailure(one: Followed, intake: Intake, error: unknown): void {
    const reason = storeProblem(error);
    try {
      if (reason) throw error;
      intake.fail(error instanceof Error ? error.message : String(error));
    } catch (trouble) {
      one.digests.clear();
      this.context.reportProblem(storeProblem(trouble) ?? `${one.source.name} could not be read: ${String(trouble)}`);
    }
  }

  /** One look; never throws. */
  private async follow(one: Followed): Promise<void> {
    const { db, vault, tools, machineMs } = this.context;
    const { id, name, settings } = one.source;
    const { look, follow } = one.driver;
    const abort = new AbortController();
    let isLate = false;
    const late = () => {
      isLate = true;
      abort.abort();
    };
    // What is followed goes on for as long as it goes well.
    const timer = follow ? undefined : setTimeout(late, LOOK_MS);
    this.busy.set(id, abort);
    let intake = new Intake(this.context, one, this.off);
    let started = performance.now();
    const isWanted = () => this.followed.get(id)?.source.id === id && !abort.signal.aborted;
    const endRound = async () => {
      await intake.relate(isWanted);
      const retired = intake.end(performance.now() - started, isWanted());
      await intake.write(isWanted);
      const isStale = intake.noteSeen();
      intake.announce(retired);
      // What was joined or retired by others meanwhile is told of again only by beginning anew.
      if (isStale && follow) abort.abort();
      intake = new Intake(this.context, one, this.off, intake);
      started = performance.now();
      this.done++;
    };
    try {
      const access = vault.ofSource(id, `reading ${name}`);
      const memory = {
        account: platformOf(db, id)?.account || undefined,
        everyMs: machineMs(one.everyMs),
        costs: one.costs,
      };
      for await (const found of (follow ?? look)?.(settings, access, abort.signal, tools(), memory) ?? []) {
        if (!isWanted()) break;
        if (found.what === "round") await endRound();
        else intake.take(found);
        if (found.what === "observations") await roomForOthers();
      }
      if (!this.followed.has(id) || follow || (abort.signal.aborted && !isLate)) return;
      if (isLate)
        intake.failures.set(name, {
          reason: `It took longer than ${LOOK_MS / 1000} seconds and was ended.`,
          region: "",
        });
      await endRound();
    } catch (error) {
      if (this.followed.has(id) && (isLate || !abort.signal.aborted)) this.takeFailure(one, intake, error);
    } finally {
      clearTimeout(timer);
      this.busy.delete(id);
    }
  }
}

const fresh = (atMs: number): Omit<Followed, "source" | "driver" | "everyMs"> => ({
  nextMs: atMs,
  ids: new Map(),
  runs: new Set(),
  digests: new Map(),
  pending: new Map(),
  listed: new Map(),
  seenMs: -Infinity,
  costs: { isKnown: false },
});

/** What comes in crowds leaves room for others in between. */
const roomForOthers = () => new Promise((done) => setImmediate(done));

const digestOf = (observation: Observation): string =>
  createHash("sha1").update(JSON.stringify(observation)).digest("base64");

/** Takes in what one look at a platform tells. */
class Intake {
  readonly failures = new Map<string, { reason: string; region: string }>();
  private readonly seen = new Set<string>();
  private readonly fresh = new Map<Observation, number>();
  private readonly prefixes: string[] = [];
  private measures: Measure[] = [];
  private readonly sinceMs: number;
  private grown = false;
  private account: { account: string; key: string };

  constructor(
    private readonly context: PlatformContext,
    private readonly one: Followed,
    private readonly off: Pick<ReadonlySet<number>, "has">,
    /** The round before, of what is followed. */
    before?: Intake,
  ) {
    this.sinceMs = context.now();
    this.account = before?.account ?? { account: "", key: "" };
  }

  take(found: Found): void {
    if (found.what === "account") this.account = found;
    else if (found.what === "observations") this.observe(found.observations);
    else if (found.what === "listed") this.prefixes.push(found.prefix);
    else if (found.what === "gone") this.lose(found.keys);
    else if (found.what === "changes") this.tell(found.changes);
    else if (found.what === "costs") this.context.onCosts(this.one.source, found.lines);
    else if (found.what === "measures") for (const one of found.measures) this.measures.push(one);
    else if (found.what === "runs") this.noteRuns(found.runs);
    else if (found.what === "failure")
      this.failures.set(found.address, { reason: found.reason, region: found.region ?? "" });
  }

  /** Runs of jobs that are not on record yet, each as it began and ended; what is more than some waits for the next round. */
  private noteRuns(runs: Extract<Found, { what: "runs" }>["runs"]): void {
    const { db } = this.context;
    const noted = new Set<string>();
    let left = MOST_RUNS;
    db.transaction(() => {
      for (const { key, startedMs, endedMs, failed } of runs) {
        const digest = `${key} ${startedMs} ${endedMs ?? ""}`;
        const componentId = this.one.ids.get(key);
        if (componentId === undefined || (!this.one.runs.has(digest) && left-- <= 0)) continue;
        noted.add(digest);
        if (this.one.runs.has(digest)) continue;
        const job = componentById(db, componentId)?.name ?? "";
        noteRun(db, { componentId, job, atMs: startedMs, toldBy: "platform" }, "begins");
        if (endedMs !== undefined && endedMs >= startedMs)
          noteRun(db, { componentId, job, atMs: endedMs, toldBy: "platform" }, failed ? "fails" : "ends");
      }
    })();
    this.one.runs = noted;
  }

  private look(observations: readonly Observation[]): Look {
    return {
      observer: platformObserver(this.one.source),
      atMs: this.context.now(),
      sinceMs: this.sinceMs,
      observations,
      mostNew: MOST_NEW,
    };
  }

  /** Takes in what is new or says something new. */
  private observe(observations: readonly Observation[]): void {
    const { db } = this.context;
    const { ids, digests } = this.one;
    const digestsOfNews = new Map<Observation, string>();
    const news = observations.filter((observation) => {
      const key = observation.keys[0]?.value as string;
      this.seen.add(key);
      const digest = digestOf(observation);
      if (ids.has(key) && digests.get(key) === digest) return false;
      digestsOfNews.set(observation, digest);
      return true;
    });
    if (news.length === 0) return;
    const taken = db.transaction(() => takeInFew(db, this.look(news)))();
    for (const [observation, id] of taken.ids) {
      const key = observation.keys[0]?.value as string;
      ids.set(key, id);
      digests.set(key, digestsOfNews.get(observation) as string);
      this.fresh.set(observation, id);
      this.one.pending.delete(key);
      for (const [prefix, present] of this.one.listed) if (key.startsWith(prefix)) present.add(key);
    }
    this.grown = true;
  }

  /** What the platform says is there no more. */
  private lose(keys: readonly string[]): void {
    const { db, onEstate } = this.context;
    const { ids, digests, listed } = this.one;
    const lost = new Set(keys.flatMap((key) => ids.get(key) ?? []));
    for (const key of keys) {
      ids.delete(key);
      digests.delete(key);
      this.one.pending.delete(key);
      this.seen.delete(key);
      for (const [prefix, present] of listed) if (key.startsWith(prefix)) present.delete(key);
    }
    // What has another name there now is not gone.
    const held = new Set(ids.values());
    const silent = new Set([...lost].filter((id) => !held.has(id)));
    if (silent.size === 0) return;
    onEstate(db.transaction(() => takeInSilence(db, this.look([]), silent, GONE))());
  }

  /** What was done on the platform. */
  private tell(changes: readonly PlatformChange[]): void {
    const { db, now } = this.context;
    db.transaction(() => {
      for (const { key, summary, kind = "deployment", atMs } of changes) {
        const componentId = this.one.ids.get(key);
        if (componentId !== undefined)
          insertChange(db, {
            atMs: Math.min(atMs ?? now(), now()),
            kind,
            componentId,
            summary,
            by: this.look([]).observer.label,
          });
      }
    })();
  }

  /** What is gone, and how the look went. */
  end(tookMs: number, isWhole: boolean): number[] {
    const { db } = this.context;
    return db.transaction(() => {
      const gone = isWhole ? this.retire() : [];
      const { account, key } = this.account;
      const componentId = this.one.ids.get(key) ?? null;
      notePlatform(
        db,
        this.one.source.id,
        { account, componentId, tookMs, things: this.one.ids.size },
        this.context.now(),
      );
      setPlatformFailures(db, this.one.source.id, this.failures, this.context.now());
      return gone;
    })();
  }

  /** Says that the estate is another one now, where it is. */
  announce(retired: readonly number[]): void {
    if (this.grown || retired.length) this.context.onEstate(retired);
  }

  /** Nothing could be read: what is known stays as it is. */
  fail(problem: string): void {
    const { db, now } = this.context;
    db.transaction(() => {
      notePlatformProblem(db, this.one.source.id, problem, now());
      setPlatformFailures(db, this.one.source.id, new Map(), now());
    })();
    const id = platformOf(db, this.one.source.id)?.component_id;
    if (id != null) this.record(id, { metric: "platform.reachable", instance: "", unit: "0/1", value: 0 }, now());
    if (this.grown) this.context.onEstate([]);
  }

  /** How things hang together, a crowd at a time; what leads to something unknown yet is tried again next time. */
  async relate(isWanted: () => boolean): Promise<void> {
    const { db } = this.context;
    const { pending } = this.one;
    for (const [observation, id] of this.fresh) pending.set(observation.keys[0]?.value as string, { observation, id });
    this.fresh.clear();
    // All that is told of one component stands together: what is not told of any more ends.
    const due = [...pending].sort(([, a], [, b]) => a.id - b.id);
    for (let from = 0, to = 0; from < due.length && isWanted(); from = to) {
      to = Math.min(from + AT_ONCE, due.length);
      while (to < due.length && due[to]?.[1].id === due[to - 1]?.[1].id) to++;
      const part = due.slice(from, to);
      const told = new Map(part.map(([, { observation, id }]) => [observation, id]));
      const unresolved = new Set(db.transaction(() => relateObserved(db, new StoredEstate(db), this.look([]), told))());
      for (const [key, { observation }] of part) if (!unresolved.has(observation)) pending.delete(key);
      await roomForOthers();
    }
  }

  /** What was listed before, or is in the store, and is listed no more. */
  private retire(): number[] {
    const { db } = this.context;
    const { listed, ids, digests } = this.one;
    const silent = new Set<number>();
    for (const prefix of this.prefixes) {
      const present = new Set([...this.seen].filter((key) => key.startsWith(prefix)));
      const before = listed.get(prefix);
      const gone = before
        ? [...before].filter((key) => !present.has(key)).flatMap((key) => ids.get(key) ?? [])
        : componentsOfPrefix(db, prefix).flatMap(({ id, key }) => (present.has(key) ? [] : [id]));
      for (const id of gone) silent.add(id);
      for (const key of before ?? [])
        if (!present.has(key)) {
          ids.delete(key);
          digests.delete(key);
          this.one.pending.delete(key);
        }
      listed.set(prefix, present);
    }
    for (const key of this.seen) silent.delete(ids.get(key) ?? -1);
    return silent.size ? takeInSilence(db, this.look([]), silent, GONE) : [];
  }

  /** What was measured, a crowd at a time. */
  async write(isWanted: () => boolean): Promise<void> {
    const atMs = this.context.now();
    for (let from = 0; from < this.measures.length && isWanted(); from += AT_ONCE) {
      const part = this.measures.slice(from, from + AT_ONCE);
      this.context.sampleWriter.together(() => {
        for (const measure of part) {
          const id = this.one.ids.get(measure.key);
          if (id !== undefined && !this.off.has(id)) this.record(id, measure, measure.atMs ?? atMs);
        }
      });
      if (from + AT_ONCE < this.measures.length) await roomForOthers();
    }
  }

  private record(componentId: number, { metric, instance, unit, value }: Omit<Measure, "key">, atMs: number): void {
    const { sampleWriter } = this.context;
    const second = Math.floor(atMs / 1000) * 1000;
    sampleWriter.record(
      sampleWriter.series({ componentId, serviceId: null }, metric, instance, unit, second),
      second,
      value,
    );
  }

  /** Notes what is there as seen, and what it was joined to, or retired as, meanwhile. */
  noteSeen(): boolean {
    const atMs = this.context.now();
    if (atMs - this.one.seenMs < SEEN_EVERY_MS && atMs >= this.one.seenMs) return false;
    this.one.seenMs = atMs;
    let isStale = false;
    for (const [prefix, present] of this.one.listed) {
      const stored = new Map(componentsOfPrefix(this.context.db, prefix).map(({ id, key }) => [key, id]));
      for (const key of present)
        if (stored.get(key) !== this.one.ids.get(key)) {
          isStale = true;
          this.one.ids.delete(key);
          this.one.digests.delete(key);
        }
    }
    for (const id of this.one.ids.values()) this.context.onSeen(id);
    return isStale;
  }
}
