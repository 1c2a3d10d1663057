import type { CompiledMapping, MappedList, MappedMetrics } from "#core/platforms/mapping";
import {
  ACCOUNT_LIST,
  nativeKey,
  nativePrefix,
  observeAccount,
  observeRegion,
  observeThing,
  REGION_LIST,
  type PlatformAccount,
  type PlatformRegion,
} from "#core/platforms/observe";
import { ExpressionFailure } from "#core/platforms/expression";
import { readInstant } from "#core/platforms/instant";
import { CostReader } from "#core/platforms/costs";
import { LineProblem, monthAfter, monthOf, type FocusLine } from "#core/spend/focus";
import { ItemProblem, numberOf, readThing, textOf, type PlatformThing } from "#core/platforms/thing";
import { isHostLike } from "#core/catalogue/kinds";
import { eachLimited } from "../../outside/limit";
import { Stream } from "../../outside/stream";
import type { Found, Measure, PlatformMemory } from "../driver";
import { HOUR_MS } from "#core/time/windows";
import type { InterfaceClient } from "./client";
import { PlatformFailure } from "./failure";
import { pagesOf } from "./pages";

const MOST_REGIONS = 200;
/** Figures that say a time further off are taken as of now: the other clock is off. */
const OLDEST_MS = 2 * 3_600_000;
const AHEAD_MS = 60_000;

/** Reads the account that a credential belongs to. */
export async function readAccount(client: InterfaceClient, mapping: CompiledMapping): Promise<PlatformAccount> {
  const { account, name: platform } = mapping.mapping;
  const { json } = await client.ask({ method: "GET", path: account.path });
  const id = textOf(await mapping.of(account.id, json), 120);
  if (id === "")
    throw new PlatformFailure(`The account has no ${account.id}: the mapping does not fit this interface.`);
  return { platform, id, name: textOf(await mapping.of(account.name, json), 80) || id };
}

/** Reads regions; one without a name where there are none. */
export async function readRegions(
  client: InterfaceClient,
  mapping: CompiledMapping,
  account: PlatformAccount,
): Promise<PlatformRegion[]> {
  const { regions: call } = mapping.mapping;
  if (!call) return [];
  const regions: PlatformRegion[] = [];
  for await (const items of pagesOf(client, mapping, call, { account: account.id }))
    for (const item of items) {
      const key = textOf(await mapping.of(call.key, item), 80);
      if (key === "" || regions.some((one) => one.key === key)) continue;
      const state = call.state === undefined ? "" : textOf(await mapping.of(call.state, item), 60);
      regions.push({ key, name: textOf(await mapping.of(call.label, item), 80) || key, state });
      if (regions.length > MOST_REGIONS) throw new PlatformFailure(`It has more than ${MOST_REGIONS} regions.`);
    }
  return regions;
}

/** Counts of one look, as a sweep tells them. */
interface Counts {
  tried: number;
  answering: number;
  recognised: number;
  failed: number;
}

/** One look at a platform. A region that does not answer holds up nobody else's, and only its own things stay as they were. */
export class Look {
  private readonly out = new Stream<Found>();
  private readonly counts: Counts = { tried: 0, answering: 0, recognised: 0, failed: 0 };
  /** Things that were told of, by list and region. */
  private readonly things = new Map<string, PlatformThing[]>();
  private readonly regional: ReadonlySet<string>;
  private account: PlatformAccount = { platform: "", id: "", name: "" };

  constructor(
    private readonly client: InterfaceClient,
    private readonly mapping: CompiledMapping,
    private readonly memory: PlatformMemory,
    private readonly nowMs: () => number,
    private readonly signal: AbortSignal,
  ) {
    this.regional = new Set(mapping.mapping.lists.flatMap((one) => (one.perRegion ? [one.name] : [])));
  }

  /** Throws a PlatformFailure where the account cannot be read, or is another one than before. */
  async *read(): AsyncGenerator<Found> {
    const started = performance.now();
    const { mapping, client, memory } = this;
    this.account = await readAccount(client, mapping);
    if (memory.account !== undefined && memory.account !== this.account.id)
      throw new PlatformFailure(
        `The credential is of account ${this.account.id}, but this source has read account ${memory.account} so far. Make another source for it, or choose a credential of ${memory.account}.`,
      );
    yield {
      what: "account",
      account: this.account.id,
      key: nativeKey(this.account, "", ACCOUNT_LIST, this.account.id),
    };
    const regions = await readRegions(client, mapping, this.account);
    yield {
      what: "observations",
      observations: [observeAccount(this.account), ...regions.map((one) => observeRegion(this.account, one))],
    };
    if (mapping.mapping.regions) yield { what: "listed", prefix: nativePrefix(this.account, "", REGION_LIST) };
    this.readAll(regions)
      .then(() => this.readCosts(regions))
      .then(
        () => this.out.end(),
        (error: unknown) => this.out.fail(error),
      );
    yield* this.out;
    yield { what: "measures", measures: this.ofAccount(performance.now() - started) };
  }

  private async readAll(regions: readonly PlatformRegion[]): Promise<void> {
    const off = this.mapping.mapping.regions?.off ?? [];
    // One lane a region, and one for what belongs to none.
    const lanes = ["", ...regions.filter((one) => !off.includes(one.state)).map((one) => one.key)];
    await eachLimited(lanes, lanes.length, (region) => this.readRegion(region), this.signal);
  }

  /** What is charged for, where it is time to ask again: of the present month and those before that may still change. */
  private async readCosts(regions: readonly PlatformRegion[]): Promise<void> {
    const { costs } = this.mapping.mapping;
    const { costs: known } = this.memory;
    const nowMs = this.nowMs();
    if (!costs || !known || this.signal.aborted) return;
    if (known.nextMs !== undefined && nowMs < known.nextMs && known.nextMs - nowMs <= costs.everyHours * HOUR_MS) {
      // It stands as long as nothing better is known.
      if (known.problem !== undefined) this.fail("costs", "", known.problem);
      return;
    }
    known.nextMs = nowMs + costs.everyHours * HOUR_MS;
    known.problem = "They could not be read. They are asked for again later.";
    const places = costs.perRegion ? regions.map((one) => one.key) : [""];
    await this.attempt("costs", "", async () => {
      const lines: FocusLine[] = [];
      const reader = new CostReader(this.mapping, costs, this.account);
      for (let back = known.isKnown ? 1 : costs.months; back >= 0; back--) {
        const monthMs = monthAfter(monthOf(nowMs), -back);
        for (const region of places) for await (const one of this.costsOf(monthMs, region, reader)) lines.push(one);
      }
      this.out.push({ what: "costs", lines });
      known.isKnown = true;
      delete known.problem;
    });
  }

  /** Lines of one month; one that is wrong spoils them all, since a sum without it would be wrong too. */
  private async *costsOf(monthMs: number, region: string, reader: CostReader): AsyncGenerator<FocusLine> {
    const { costs } = this.mapping.mapping;
    if (!costs) return;
    const end = monthAfter(monthMs);
    const words = {
      region,
      account: this.account.id,
      month: new Date(monthMs).toISOString().slice(0, 7),
      from: new Date(monthMs).toISOString(),
      to: new Date(end).toISOString(),
      fromms: String(monthMs),
      toms: String(end),
    };
    for await (const items of pagesOf(this.client, this.mapping, costs, words))
      for (const item of items) {
        try {
          yield await reader.read(item);
        } catch (error) {
          if (!(error instanceof LineProblem)) throw error;
          throw new PlatformFailure(`A line of ${words.month} is wrong, so none was taken: ${error.message}`, 200);
        }
      }
  }

  /** Lists and then figures of one region. */
  private async readRegion(region: string): Promise<void> {
    const { lists, metrics } = this.mapping.mapping;
    const isOurs = (one: { perRegion: boolean }) => one.perRegion === (region !== "");
    let answers = true;
    for (const list of lists.filter(isOurs)) {
      if (this.signal.aborted) return;
      if (!answers) {
        this.fail(list.name, region, "It was not asked, because its region does not answer.");
        continue;
      }
      answers = await this.attempt(list.name, region, () => this.readList(list, region));
    }
    for (const call of metrics.filter(isOurs)) {
      if (this.signal.aborted || !answers) break;
      answers = await this.attempt(`figures of ${call.list}`, region, () => this.readMetrics(call, region));
    }
    if (region !== "") {
      const key = nativeKey(this.account, "", REGION_LIST, region);
      this.out.push({ what: "measures", measures: [state(key, "platform.reachable", answers)] });
    }
  }

  /** @returns whether the other side answers at all */
  private async attempt(name: string, region: string, work: () => Promise<void>): Promise<boolean> {
    this.counts.tried++;
    let answers = true;
    try {
      await work();
      this.counts.answering++;
    } catch (error) {
      if (this.signal.aborted) return true;
      if (name === "costs" && error instanceof Error && this.memory.costs) this.memory.costs.problem = error.message;
      if (!(error instanceof PlatformFailure || error instanceof ExpressionFailure)) throw error;
      this.fail(name, region, error.message);
      answers = !(error instanceof PlatformFailure) || (error.status > 0 && error.status < 500);
    }
    this.out.push({ what: "progress", ...this.counts });
    return answers;
  }

  private fail(name: string, region: string, reason: string): void {
    this.counts.failed++;
    const address = region === "" ? name : `${name} in ${region}`;
    this.out.push({ what: "failure", address, reason, ...(region === "" ? {} : { region }) });
  }

  private async readList(list: MappedList, region: string): Promise<void> {
    const { account, mapping } = this;
    const known = new Map<string, PlatformThing>();
    let left = 0;
    let problem = "";
    for await (const items of pagesOf(this.client, mapping, list, { region, account: account.id })) {
      const fresh: PlatformThing[] = [];
      for (const item of items) {
        try {
          const thing = await readThing(mapping, list, item, region);
          // What shifted from one page to the next comes twice.
          if (thing.isGone || known.has(thing.key)) continue;
          known.set(thing.key, thing);
          fresh.push(thing);
        } catch (error) {
          if (!(error instanceof ItemProblem || error instanceof ExpressionFailure)) throw error;
          left++;
          problem = error.message;
        }
      }
      this.counts.recognised += fresh.length;
      this.out.push({ what: "observations", observations: fresh.map((one) => this.observe(one)) });
      this.out.push({ what: "measures", measures: fresh.flatMap((one) => this.figuresOf(one)) });
    }
    this.things.set(`${region}/${list.name}`, [...known.values()]);
    if (left > 0) {
      this.fail(list.name, region, `${left === 1 ? "One item was" : `${left} items were`} left out: ${problem}`);
      return;
    }
    this.out.push({ what: "listed", prefix: nativePrefix(account, list.perRegion ? region : "", list.name) });
  }

  private observe(thing: PlatformThing) {
    return observeThing(this.account, thing, (list) => this.regional.has(list));
  }

  private keyOf = (thing: PlatformThing) =>
    nativeKey(this.account, this.regional.has(thing.list) ? thing.region : "", thing.list, thing.key);

  private figuresOf(thing: PlatformThing): Measure[] {
    const key = this.keyOf(thing);
    return [
      ...(isHostLike(thing.kind) && thing.state !== "" ? [state(key, "guest.running", !thing.isOff)] : []),
      ...thing.figures.map((one) => ({ key, instance: "", ...one })),
    ];
  }

  private async readMetrics(call: MappedMetrics, region: string): Promise<void> {
    const things = new Map(
      [...this.things].flatMap(([place, list]) =>
        place === `${region}/${call.list}` ? list.map((one) => [one.key, one] as const) : [],
      ),
    );
    const asked = [...things.values()].filter((one) => !one.isOff).map((one) => one.key);
    if (asked.length === 0) return;
    const size = call.batch || asked.length;
    const toMs = this.nowMs();
    const words = {
      region,
      account: this.account.id,
      from: new Date(toMs - 5 * 60_000).toISOString(),
      to: new Date(toMs).toISOString(),
    };
    for (let at = 0; at < asked.length; at += size) {
      const ids = asked.slice(at, at + size).join(call.between);
      for await (const rows of pagesOf(this.client, this.mapping, call, { ...words, ids })) {
        const measures: Measure[] = [];
        for (const row of rows) {
          const one = await this.measureOf(call, row, things);
          if (one) measures.push(one);
        }
        this.out.push({ what: "measures", measures });
      }
    }
  }

  private async measureOf(
    call: MappedMetrics,
    row: unknown,
    things: ReadonlyMap<string, PlatformThing>,
  ): Promise<Measure | undefined> {
    const { mapping } = this;
    const named = call.names[textOf(await mapping.of(call.metric, row), 120)];
    const thing = things.get(textOf(await mapping.of(call.key, row), 300));
    const value = numberOf(await mapping.of(call.value, row));
    if (!named || !thing || value === undefined) return undefined;
    const { metric, unit, times, instance } = named;
    const atMs = call.at === undefined ? undefined : readInstant(await mapping.of(call.at, row));
    const now = this.nowMs();
    const isBelieved = atMs !== undefined && atMs > now - OLDEST_MS && atMs <= now + AHEAD_MS;
    return {
      key: this.keyOf(thing),
      metric,
      instance,
      unit,
      value: value * times,
      ...(isBelieved ? { atMs: Math.min(atMs, now) } : {}),
    };
  }

  /** Figures of the interface itself. */
  private ofAccount(tookMs: number): Measure[] {
    const key = nativeKey(this.account, "", ACCOUNT_LIST, this.account.id);
    return [
      state(key, "platform.reachable", true),
      { key, metric: "platform.response", instance: "", unit: "ms", value: Math.round(tookMs) },
      { key, metric: "platform.failures", instance: "", unit: "1", value: this.client.failures },
    ];
  }
}

const state = (key: string, metric: string, holds: boolean): Measure => ({
  key,
  metric,
  instance: "",
  unit: "0/1",
  value: Number(holds),
});
