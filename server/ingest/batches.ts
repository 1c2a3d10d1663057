import { nameResource, type ResourceAttributes } from "#core/estate/naming";
import type { Look, ObservedRelation } from "#core/estate/observation";
import type { ArrivedEvent, Batch, SeriesDef } from "../receivers/batch";
import type { Db } from "../store/database";
import { insertChange, noteRestart } from "../store/changes";
import { componentById } from "../store/estate";
import { SPANS } from "../store/relations";
import { forgetExemplars, writeExemplars } from "../store/exemplars";
import { LogWriter, type NewLog } from "../store/log-writer";
import { DAY_MS } from "#core/time/windows";
import { JobRuns } from "./job-runs";
import { LogFigures } from "./log-figures";
import { SentReleases } from "./sent-releases";
import { SettingLogs } from "./setting-logs";
import { touchResource } from "../store/resources";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { LIMITS } from "../receivers/limits";
import { firstSight } from "../store/endpoints";
import { AgentReporters, type Listened } from "../estate/agent-reporters";
import { takeInRelations } from "../estate/take-in";
import type { LiveSeries, SampleWriter } from "./sample-writer";
import { Senders, type KnownResource } from "./senders";

/** What became of a batch. */
export interface Receipt {
  /** Series that are not taken, with the reason. */
  refused: { handle: number; why: string }[];
}

/** What became of several batches that were made durable together. */
export interface Committed {
  receipts: Receipt[];
  /** A sender told of something that was not in the estate. */
  grown: boolean;
  /** Spans told of a relation that was not known. */
  related: boolean;
}

const TOO_MANY_SENDERS = `There are ${LIMITS.senders} senders already; further ones are not kept. Look for an attribute that differs with every start.`;

/** Records of a host that are looked at for its clock in a tick. */
const MOST_CLOCK_RECORDS = 200;

const medianOf = (values: readonly number[]): number => values.toSorted((a, b) => a - b)[values.length >> 1] as number;

/** Takes what the receivers hand over into the store: names senders, finds their series, keeps samples and records. */
export class BatchIngest {
  private readonly senders: Senders;
  /** Senders and series by the handles of the receivers. */
  private readonly resources = new Map<number, KnownResource>();
  private readonly series = new Map<number, LiveSeries>();
  /** Series made since the last commit. */
  private made: LiveSeries[] = [];
  /** Components that senders tell of. */
  readonly reporters: AgentReporters;
  private readonly releases: SentReleases;
  private readonly settings: SettingLogs;
  readonly figures: LogFigures;
  readonly jobs: JobRuns;
  /** How far ahead of ours the records of each host are, milliseconds, since the last tick. */
  private readonly ahead = new Map<number, number[]>();
  private readonly hosts = new Map<number, number>();
  private grown = false;
  private related = false;
  private logWriter: LogWriter;
  /** Keeps spans, and counts calls as they come. */
  spanWriter: SpanWriter;
  samples = 0;
  records = 0;
  spans = 0;
  events = 0;

  constructor(
    private readonly db: Db,
    private readonly sampleWriter: SampleWriter,
  ) {
    this.reporters = new AgentReporters(db);
    this.senders = new Senders(db, sampleWriter);
    this.releases = new SentReleases(db, this.senders.all());
    this.settings = new SettingLogs(db);
    this.figures = new LogFigures(db, sampleWriter);
    this.jobs = new JobRuns(db);
    this.logWriter = new LogWriter(db);
    this.spanWriter = new SpanWriter(db);
    this.reload();
  }

  /** The component that a sender is named to. */
  componentOf(resourceId: number): number | null {
    return this.senders.get(resourceId)?.componentId ?? null;
  }

  /** One that runs the same program as a sender which is named to none. */
  kinOf(resourceId: number): ReturnType<Senders["kinOf"]> {
    return this.senders.kinOf(resourceId);
  }

  /** Hosts that answer beside those who run the same: which of their processes does is not known yet. */
  hostsBeside(): ReadonlyMap<number, number> {
    return this.senders.hostsBeside();
  }

  /** Senders known from before are given time to be heard again. */
  expect(nowMs: number): void {
    for (const resource of this.senders.all())
      if (nowMs - resource.touchedMs < DAY_MS) this.reporters.heard(resource.attributes, resource.componentId, nowMs);
  }

  /** Takes up what the estate and the rules are by now; inside a transaction. */
  reload(): void {
    this.hosts.clear();
    this.figures.reload();
    this.jobs.reload();
    this.senders.reload();
    this.reporters.reload();
  }

  /** Makes batches durable together, or none of them: a throw leaves memory and store as they were. */
  commit(list: readonly Batch[], nowMs: number): Committed {
    const { samples, records, spans, events } = this;
    try {
      const receipts = this.sampleWriter.commit("commit", () => list.map((batch) => this.take(batch, nowMs)));
      return { receipts, ...this.settle() };
    } catch (error) {
      Object.assign(this, { samples, records, spans, events });
      this.abandon(list);
      throw error;
    }
  }

  /** Takes over what was learned, once it is committed; says what that was. */
  settle(): { grown: boolean; related: boolean } {
    const learned = { grown: this.grown, related: this.related };
    this.releases.settle();
    this.made = [];
    this.grown = false;
    this.related = false;
    return learned;
  }

  /** Takes one batch in; call inside a transaction, and `settle` when it is committed. */
  take(batch: Batch, nowMs: number): Receipt {
    this.meet(batch.resources, nowMs);
    const refused = [...this.takeResources(batch, nowMs), ...this.takeSeries(batch, nowMs)];
    this.takeSamples(batch);
    this.takeLogs(batch, nowMs);
    for (const event of batch.events) this.takeEvent(event, nowMs);
    for (const { resource, atMs } of batch.restarts ?? []) this.takeRestart(resource, atMs);
    writeExemplars(
      this.db,
      batch.exemplars.flatMap((one) => {
        const resource = this.resources.get(one.resource);
        return resource ? [{ ...one, resourceId: resource.id }] : [];
      }),
    );
    this.takeSpans(batch, nowMs);
    this.hear(batch, nowMs);
    return { refused };
  }

  private takeResources({ resources }: Batch, nowMs: number): Receipt["refused"] {
    return resources.flatMap(({ handle, attributes }) => {
      const resource = this.senders.of(attributes, nowMs);
      if (resource) this.resources.set(handle, resource);
      return resource ? [] : [{ handle, why: TOO_MANY_SENDERS }];
    });
  }

  /** Takes new series up; those whose unit or instrument changed are refused. */
  private takeSeries({ series }: Batch, nowMs: number): Receipt["refused"] {
    return series.flatMap((def) => {
      const { handle, metric, instance, unit, instrument } = def;
      const resource = this.resources.get(def.resource);
      if (!resource) return [{ handle, why: TOO_MANY_SENDERS }];
      const owner = { componentId: resource.componentId, serviceId: null, resourceId: resource.id };
      let known = this.sampleWriter.find(owner, metric, instance);
      if (!known) {
        known = this.sampleWriter.series(owner, metric, instance, unit, nowMs, instrument);
        this.made.push(known);
      }
      const why = mismatch(known, def);
      if (why !== undefined) return [{ handle, why }];
      this.series.set(handle, known);
      return [];
    });
  }

  private takeSamples({ handles, times, values }: Batch): void {
    for (let index = 0; index < handles.length; index++) {
      const series = this.series.get(handles[index] as number);
      if (series) this.sampleWriter.record(series, times[index] as number, values[index] as number);
    }
    this.samples += handles.length;
  }

  private takeLogs(batch: Batch, nowMs: number): void {
    const logs = batch.logs.flatMap(({ resource: handle, ...log }): NewLog[] => {
      const resource = this.resources.get(handle);
      return resource ? [{ ...log, resourceId: resource.id }] : [];
    });
    this.logWriter.write(logs);
    this.records += logs.length;
    this.noteClocks(logs, nowMs);
    const componentOf = (id: number) => this.componentOf(id);
    this.settings.take(logs, componentOf, nowMs);
    this.figures.tick(nowMs);
    this.figures.take(logs, componentOf, nowMs);
    this.jobs.take(logs, componentOf, nowMs);
  }

  /** How far ahead of ours the clock of each sender's host is: what was said cannot come before it was said. */
  private noteClocks(logs: readonly NewLog[], nowMs: number): void {
    for (const { resourceId, atMs } of logs) {
      const componentId = this.componentOf(resourceId);
      if (componentId === null) continue;
      const hostId = this.hostOf(componentId);
      const known = this.ahead.get(hostId);
      if (!known) this.ahead.set(hostId, [atMs - nowMs]);
      else if (known.length < MOST_CLOCK_RECORDS) known.push(atMs - nowMs);
    }
  }

  private hostOf(componentId: number): number {
    let host = this.hosts.get(componentId);
    if (host === undefined) {
      host = componentById(this.db, componentId)?.host_id ?? componentId;
      this.hosts.set(componentId, host);
    }
    return host;
  }

  /** Writes down what was learned of clocks since the last tick. */
  private tellClocks(nowMs: number): void {
    // A clock that is ahead is so for all that its host says; one record of a time to come says nothing of it.
    for (const [componentId, ahead] of this.ahead)
      this.sampleWriter.record(
        this.sampleWriter.series({ componentId, serviceId: null }, "clock.ahead", "", "s", nowMs),
        nowMs,
        Math.round(Math.max(0, medianOf(ahead)) / 100) / 10,
      );
    this.ahead.clear();
  }

  private takeEvent(event: ArrivedEvent, nowMs: number): void {
    if (!firstSight(this.db, event.source, event.id, nowMs)) return;
    insertChange(this.db, {
      atMs: event.atMs ?? nowMs,
      kind: event.kind,
      componentId: nameResource(event.attributes, this.senders.book).componentId,
      summary: event.summary,
      by: event.by,
      ticket: event.ticket,
      detail: event.detail,
    });
    this.events++;
  }

  /** Running totals of a sender count from a later beginning: it was started anew. */
  private takeRestart(handle: number, atMs: number): void {
    const componentId = this.resources.get(handle)?.componentId ?? null;
    const component = componentId === null ? undefined : componentById(this.db, componentId);
    if (!component || component.valid_to !== null) return;
    const summary = `${component.name}: started anew, its totals count from then`;
    noteRestart(this.db, { componentId: component.id, atMs, summary, by: "its own signals" });
  }

  private takeSpans(batch: Batch, nowMs: number): void {
    const spans = batch.spans.flatMap(({ resource: handle, ...span }): NewSpan[] => {
      const resource = this.resources.get(handle);
      return resource ? [{ ...span, resourceId: resource.id }] : [];
    });
    this.spanWriter.write(spans);
    this.spans += spans.length;
    this.relate(nowMs);
  }

  /** Notes whom a batch is from: who reports is there, and who speaks again after its end is met anew. */
  private hear(batch: Batch, nowMs: number): void {
    const heard = new Set<KnownResource | undefined>();
    for (const { resource } of batch.logs) heard.add(this.resources.get(resource));
    for (const { resource } of batch.spans) heard.add(this.resources.get(resource));
    for (const handle of new Set(batch.handles)) heard.add(this.senders.get(this.series.get(handle)?.resourceId ?? 0));
    const unmet: KnownResource[] = [];
    for (const resource of heard) {
      if (!resource) continue;
      if (this.reporters.heard(resource.attributes, resource.componentId, nowMs)) unmet.push(resource);
      this.releases.heard(resource, nowMs);
      if (nowMs - resource.touchedMs > 60_000) {
        touchResource(this.db, resource.id, nowMs);
        resource.touchedMs = nowMs;
      }
    }
    // What ended and speaks again, or is on a host that was not known before.
    if (unmet.length) this.meet(unmet, nowMs);
  }

  /** Takes up what new senders tell of: hosts before the containers on them, so that one batch may tell of both. */
  private meet(resources: readonly { attributes: ResourceAttributes }[], nowMs: number): void {
    for (const contained of [false, true])
      for (const { attributes } of resources) {
        if ((attributes["container.id"] !== undefined) !== contained) continue;
        const met = this.reporters.meet(attributes, this.senders.book, nowMs);
        const component = met && componentById(this.db, met.componentId);
        if (!component) continue;
        this.senders.welcome(component, met.containerId);
        this.grown = true;
      }
  }

  /** Forgets handles that no receiver will use again. */
  release(resources: readonly number[], series: readonly number[]): void {
    for (const handle of resources) this.resources.delete(handle);
    for (const handle of series) this.series.delete(handle);
  }

  /** After a transaction that failed: what was learned in it is forgotten, so that it can be sent again. */
  private abandon(batches: readonly Batch[]): void {
    this.releases.abandon();
    this.sampleWriter.forget(this.made);
    this.made = [];
    for (const batch of batches) {
      for (const { handle } of batch.resources) this.resources.delete(handle);
      for (const { handle } of batch.series) this.series.delete(handle);
    }
    this.senders.read();
    this.settle();
    this.reload();
    for (const [handle, resource] of this.resources) {
      const again = this.senders.get(resource.id);
      if (again) this.resources.set(handle, again);
    }
    this.logWriter = new LogWriter(this.db);
    this.spanWriter = new SpanWriter(this.db);
  }

  /** Spans tell who calls whom; where no sweep saw the connection, that is a relation too. */
  private relate(nowMs: number): void {
    const pairs = this.spanWriter.newPairs;
    this.spanWriter.newPairs = [];
    const relations = pairs.flatMap(({ from: caller, to: called }): ObservedRelation[] => {
      const from = this.senders.get(caller)?.componentId ?? null;
      const to = this.senders.get(called)?.componentId ?? null;
      if (from === null || to === null || from === to) return [];
      const tell = `${componentById(this.db, from)?.name} calls ${componentById(this.db, to)?.name}`;
      return [{ type: "talks-to", from, to, detail: "", connections: 0, seenBy: SPANS, tell, unlessKnown: true }];
    });
    if (relations.length === 0) return;
    const observer = { sourceId: null, label: "spans", site: "" };
    const look: Look = { observer, atMs: nowMs, sinceMs: nowMs, observations: [] };
    if (takeInRelations(this.db, look, relations) > 0) this.related = true;
  }

  /** Who reports and who is silent, at each tick; call inside a transaction. */
  listen(nowMs: number): Listened {
    this.tellClocks(nowMs);
    this.figures.tick(nowMs);
    const listened = this.reporters.look(nowMs);
    for (const { componentId, reports } of listened.reachable)
      this.sampleWriter.record(
        this.sampleWriter.series({ componentId, serviceId: null }, "reachable", "", "0/1", nowMs),
        nowMs,
        reports ? 1 : 0,
      );
    return listened;
  }

  /** Sums calls up over longer spans, for about `budgetMs`; call inside a transaction. */
  sumUp(nowMs: number, budgetMs: number): void {
    this.spanWriter.sumUp(nowMs, budgetMs);
  }

  /** Forgets what is older than it has to be kept; call inside a transaction. */
  forget(logsBeforeMs: number, spansBeforeMs: number): void {
    this.logWriter.forget(logsBeforeMs);
    this.spanWriter.forget(spansBeforeMs);
    forgetExemplars(this.db, spansBeforeMs);
    this.senders.forget(Math.min(logsBeforeMs, spansBeforeMs));
  }
}

/** Why samples of a definition cannot go on with a series that is kept, or undefined. */
function mismatch(known: LiveSeries, { metric, unit, instrument }: SeriesDef): string | undefined {
  if (known.unit !== unit)
    return `${metric} was kept in “${known.unit}” before and now comes in “${unit}”. Give it another name, or keep the unit.`;
  if (known.instrument !== instrument)
    return `${metric} was kept as ${known.instrument} before and now comes as ${instrument}. Give it another name, or send it as before.`;
  return undefined;
}
