import type { Ticket } from "#core/changes/tickets";
import { platformVoice } from "#core/estate/labels";
import type { Look, Observation, Observer } from "#core/estate/observation";
import { replaceTickets } from "../store/tickets";
import { driverOf } from "../sources/registry";
import { StoredEstate } from "../store/known";
import { componentsOfPrefix, platformOf } from "../store/platforms";
import { insertFinding, updateSweep, type SourceRow, type SweepProgress } from "../store/sources";
import type { Access } from "../vault/kinds";
import type { SweepContext } from "./sweeps";
import type { News } from "./apply";
import { relateObserved } from "./relate";
import { takeInFew, takeInLook, takeInSilence, type TakenIn } from "./take-in";

/**
 * What was found is taken in this often, machine time, while a sweep is under way; more seldom where taking in takes
 * long.
 */
const TAKE_IN_MS = 1000;
/** Things of a platform that are told apart together. */
const PLATFORM_AT_ONCE = 500;
/** Who says what a source was told. */
export const observerOf = (hearsay: string, name: string) => `${hearsay} ${name}`;

/** Who says what a platform tells of what it has. */
export const platformObserver = ({ id, name, site }: Pick<SourceRow, "id" | "name" | "site">): Observer => ({
  sourceId: id,
  label: platformVoice(name),
  site,
  modest: true,
});

/** One sweep under way: takes in what comes while it comes, and at its end what is absent. */
export class SweepRun {
  counts: SweepProgress = { tried: 0, answering: 0, recognised: 0, failed: 0 };
  private readonly observations: Observation[] = [];
  private fresh: Observation[] = [];
  /** What was listed in full on the way. */
  private readonly listed: string[] = [];
  /** Of a platform: what each of its observations is. */
  private readonly ids = new Map<Observation, number>();
  private readonly refused = new Set<string>();
  private nextTakeInMs: number;
  /** Absent where the source tells of none. */
  private tickets: Ticket[] | undefined;
  private readonly sinceMs: number;

  constructor(
    private readonly context: SweepContext,
    private readonly id: number,
    private readonly source: SourceRow,
  ) {
    this.sinceMs = context.now();
    this.nextTakeInMs = Date.now() + TAKE_IN_MS;
  }

  async follow(access: readonly Access[], signal: AbortSignal): Promise<void> {
    const memory = { account: platformOf(this.context.db, this.source.id)?.account || undefined, everyMs: 0 };
    const found =
      driverOf(this.source.kind).discover?.(this.source.settings, access, signal, this.context.tools(), memory) ?? [];
    for await (const one of found) {
      if (one.what === "listed") this.listed.push(one.prefix);
      else if (one.what === "progress") {
        const { what: _what, ...counts } = one;
        this.counts = counts;
      } else if (one.what === "failure") {
        this.refused.add(one.address);
        this.note("failed", null, one.address, one.address, one.reason);
      } else if (one.what === "tickets") {
        this.tickets = [...(this.tickets ?? []), ...one.tickets];
      } else if (one.what === "observations") {
        // What a platform tells is taken in for good as it comes.
        if (!this.isPlatform) this.observations.push(...one.observations);
        this.fresh.push(...one.observations);
      }
      if (this.fresh.length && Date.now() >= this.nextTakeInMs) this.takeFresh();
    }
  }

  private takeFresh(): void {
    const started = Date.now();
    if (this.isPlatform) this.takePlatform();
    else this.write(this.look(this.fresh), false);
    this.fresh = [];
    this.nextTakeInMs = Date.now() + Math.max(TAKE_IN_MS, 5 * (Date.now() - started));
    this.context.emit({ topic: "estate", atMs: this.context.now() });
  }

  /** Everything once more, which changes nothing of what was taken in, and what follows from absence. */
  end(complete: boolean): void {
    if (this.isPlatform) this.endPlatform(complete);
    else this.write(this.look(this.observations), complete);
    const { db, now } = this.context;
    // What was read in part only does not take the place of what was known.
    if (this.tickets && complete) replaceTickets(db, this.source.id, this.tickets, now());
    updateSweep(this.context.db, this.id, this.counts);
  }

  message(signal: AbortSignal): string | null {
    const { tried, answering } = this.counts;
    if (signal.aborted)
      return `Stopped by ${String(signal.reason)} after ${tried} addresses; what was found until then is kept.`;
    return answering === 0
      ? `Nothing answered on ${tried} addresses. Check the range, and whether this machine can reach it.`
      : null;
  }

  private get isPlatform(): boolean {
    const { look, follow } = driverOf(this.source.kind);
    return look !== undefined || follow !== undefined;
  }

  /** What a platform tells of stands by itself: nothing of the rest of the estate need be looked at for it. */
  private takePlatform(): void {
    const { db } = this.context;
    const retired = db.transaction(() => {
      const gone: number[] = [];
      for (let at = 0; at < this.fresh.length; at += PLATFORM_AT_ONCE) {
        const part = this.fresh.slice(at, at + PLATFORM_AT_ONCE);
        const taken = takeInFew(db, this.look(part));
        for (const [observation, id] of taken.ids) this.ids.set(observation, id);
        for (const one of taken.news) this.note(one.outcome, one.id, one.address, one.title, one.detail);
        gone.push(...taken.retired);
      }
      return gone;
    })();
    this.context.onEstate(retired);
  }

  /** How things hang together, and what is listed no more. */
  private endPlatform(complete: boolean): void {
    const { db } = this.context;
    this.takePlatform();
    const retired = db.transaction(() => {
      relateObserved(db, new StoredEstate(db), this.look([]), this.ids);
      if (!complete) return [];
      const seen = new Set(this.ids.values());
      const silent = new Set(
        this.listed
          .flatMap((prefix) => componentsOfPrefix(db, prefix).map((one) => one.id))
          .filter((id) => !seen.has(id)),
      );
      const news: News[] = [];
      const left = takeInSilence(db, this.look([]), silent, "Its platform has it no more", news);
      for (const one of news) this.note(one.outcome, one.id, one.address, one.title, one.detail);
      return left;
    })();
    this.context.onEstate(retired);
  }

  private look(observations: Observation[]): Look {
    const { id, kind, name, site } = this.source;
    const { hearsay } = driverOf(kind);
    return {
      observer: this.isPlatform
        ? platformObserver(this.source)
        : hearsay
          ? { sourceId: id, label: observerOf(hearsay, name), site, modest: true }
          : { sourceId: id, label: `sweep of ${name}`, site },
      atMs: this.context.now(),
      sinceMs: this.sinceMs,
      observations,
    };
  }

  private write(look: Look, complete: boolean): void {
    const driver = driverOf(this.source.kind);
    const listings = complete ? (driver.listings?.(this.source.settings) ?? []) : [];
    const taken: TakenIn = this.context.db.transaction(() => {
      const result = takeInLook(this.context.db, look, listings, this.refused);
      for (const one of result.news) this.note(one.outcome, one.id, one.address, one.title, one.detail);
      for (const one of result.unmatched) this.note("unmatched", one.componentId, one.address, one.title, one.detail);
      return result;
    })();
    this.context.onEstate(taken.retired);
  }

  private note(
    outcome: Parameters<typeof insertFinding>[2]["outcome"],
    componentId: number | null,
    address: string,
    title: string,
    detail: string,
  ): void {
    insertFinding(this.context.db, this.id, {
      outcome,
      component_id: componentId,
      address,
      title,
      detail: detail.slice(0, 600),
    });
  }
}
