import { nameOrigin, type OriginAttributes } from "#core/discovery/naming";
import type { Delivery } from "../receivers/arrivals";
import type { Db } from "../store/database";
import { insertChange } from "../store/changes";
import { componentById, hasRelation, seeRelation, SPANS } from "../store/estate";
import { forgetExemplars, writeExemplars } from "../store/exemplars";
import { LogWriter, type NewLog } from "../store/log-writer";
import { DAY_MS } from "#core/time/windows";
import { touchOrigin } from "../store/origins";
import { SpanWriter, type NewSpan } from "../store/span-writer";
import { firstSight } from "../store/ways-in";
import { Found } from "./found";
import type { LiveSeries, Recorder } from "./recorder";
import { Senders, type KnownOrigin } from "./senders";

/** What became of a delivery. */
export interface Receipt {
  /** Series that are not taken, with the reason. */
  refused: { handle: number; why: string }[];
}

/** Takes what the receivers hand over into the store: names senders, finds their series, keeps samples and records. */
export class Deliveries {
  private readonly senders: Senders;
  /** Senders and series by the handles of the receivers. */
  private readonly origins = new Map<number, KnownOrigin>();
  private readonly series = new Map<number, LiveSeries>();
  /** Series made since the last commit. */
  private made: LiveSeries[] = [];
  /** Components that senders tell of. */
  readonly found: Found;
  /** Set when a sender told of something that was not in the estate. */
  grown = false;
  private writer: LogWriter;
  private spanWriter: SpanWriter;
  samples = 0;
  records = 0;
  spans = 0;
  events = 0;

  constructor(
    private readonly db: Db,
    private readonly recorder: Recorder,
  ) {
    this.found = new Found(db, recorder);
    this.senders = new Senders(db, recorder);
    this.writer = new LogWriter(db);
    this.spanWriter = new SpanWriter(db);
    this.reload();
  }

  /** Senders known from before are given time to be heard again. */
  expect(nowMs: number): void {
    for (const origin of this.senders.all())
      if (nowMs - origin.touchedMs < DAY_MS) this.found.heard(origin.attributes, origin.componentId, nowMs);
  }

  /** Takes up what the estate and the rules are by now; inside a transaction. */
  reload(): void {
    this.senders.reload();
    this.found.reload();
  }

  /** Call inside a transaction. */
  take(delivery: Delivery, nowMs: number): Receipt {
    this.meet(delivery.origins, nowMs);
    for (const { handle, attributes } of delivery.origins) this.origins.set(handle, this.senders.of(attributes, nowMs));
    const refused: Receipt["refused"] = [];
    for (const def of delivery.series) {
      const origin = this.origins.get(def.origin);
      if (!origin) continue;
      const owner = { componentId: origin.componentId, serviceId: null, originId: origin.id };
      let series = this.recorder.find(owner, def.metric, def.instance);
      if (!series)
        this.made.push((series = this.recorder.series(owner, def.metric, def.instance, def.unit, nowMs, def.form)));
      if (series.unit !== def.unit || series.form !== def.form) {
        const why =
          series.unit === def.unit
            ? `${def.metric} was kept as ${series.form} before and now comes as ${def.form}. Give it another name, or send it as before.`
            : `${def.metric} was kept in “${series.unit}” before and now comes in “${def.unit}”. Give it another name, or keep the unit.`;
        refused.push({ handle: def.handle, why });
        continue;
      }
      this.series.set(def.handle, series);
    }
    const { handles, times, values } = delivery;
    for (let index = 0; index < handles.length; index++) {
      const series = this.series.get(handles[index] as number);
      if (series) this.recorder.record(series, times[index] as number, values[index] as number);
    }
    this.samples += handles.length;
    const touched = new Set<KnownOrigin>();
    const logs = delivery.logs.flatMap((log): NewLog[] => {
      const origin = this.origins.get(log.origin);
      if (!origin) return [];
      touched.add(origin);
      return [
        {
          atMs: log.atMs,
          severity: log.severity,
          originId: origin.id,
          body: log.body,
          attributes: log.attributes,
          traceId: log.traceId,
          spanId: log.spanId,
        },
      ];
    });
    this.writer.write(logs);
    this.records += logs.length;
    const spans = delivery.spans.flatMap((span): NewSpan[] => {
      const origin = this.origins.get(span.origin);
      if (!origin) return [];
      touched.add(origin);
      const { origin: _handle, ...rest } = span;
      return [{ ...rest, originId: origin.id }];
    });
    for (const event of delivery.events) {
      if (!firstSight(this.db, event.source, event.id, nowMs)) continue;
      const named = nameOrigin(event.attributes, this.senders.book);
      insertChange(this.db, {
        atMs: event.atMs ?? nowMs,
        kind: event.kind,
        componentId: named.componentId,
        summary: event.summary,
        by: event.by,
        ticket: event.ticket,
        detail: event.detail,
      });
      this.events++;
    }
    writeExemplars(
      this.db,
      delivery.exemplars.flatMap((one) => {
        const origin = this.origins.get(one.origin);
        return origin ? [{ ...one, originId: origin.id }] : [];
      }),
    );
    this.spanWriter.write(spans);
    this.spans += spans.length;
    this.relate(nowMs);
    for (const handle of new Set(handles)) {
      const origin = this.senders.get(this.series.get(handle)?.originId ?? 0);
      if (origin) touched.add(origin);
    }
    const unmet: KnownOrigin[] = [];
    for (const origin of touched) {
      if (this.found.heard(origin.attributes, origin.componentId, nowMs)) unmet.push(origin);
      if (nowMs - origin.touchedMs > 60_000) {
        touchOrigin(this.db, origin.id, nowMs);
        origin.touchedMs = nowMs;
      }
    }
    // What ended and speaks again, or is on a host that was not known before.
    if (unmet.length) this.meet(unmet, nowMs);
    return { refused };
  }

  /** Takes up what new senders tell of: hosts before the containers on them, so that one delivery may tell of both. */
  private meet(origins: readonly { attributes: OriginAttributes }[], nowMs: number): void {
    for (const contained of [false, true])
      for (const { attributes } of origins) {
        if ((attributes["container.id"] !== undefined) !== contained) continue;
        const met = this.found.meet(attributes, this.senders.book, nowMs);
        const component = met && componentById(this.db, met.componentId);
        if (!component) continue;
        this.senders.welcome(component, met.containerId);
        this.grown = true;
      }
  }

  /** Forgets the handles of a delivery that no receiver will use again. */
  release(delivery: Delivery): void {
    for (const { handle } of delivery.origins) this.origins.delete(handle);
    for (const { handle } of delivery.series) this.series.delete(handle);
  }

  /** Once what was taken is committed. */
  settle(): void {
    this.made = [];
  }

  /** After a transaction that failed: what was learned in it is forgotten, so that it can be sent again. */
  rollback(deliveries: readonly Delivery[]): void {
    this.recorder.forget(this.made);
    this.made = [];
    for (const delivery of deliveries) {
      for (const { handle } of delivery.origins) this.origins.delete(handle);
      for (const { handle } of delivery.series) this.series.delete(handle);
    }
    this.senders.read();
    this.grown = false;
    this.reload();
    for (const [handle, origin] of this.origins) {
      const again = this.senders.get(origin.id);
      if (again) this.origins.set(handle, again);
    }
    this.writer = new LogWriter(this.db);
    this.spanWriter = new SpanWriter(this.db);
  }

  /** Spans tell who calls whom; where no sweep saw the connection, that is a relation too. */
  private relate(nowMs: number): void {
    for (const { from, to } of this.spanWriter.newPairs) {
      const fromId = this.senders.get(from)?.componentId ?? null;
      const toId = this.senders.get(to)?.componentId ?? null;
      if (fromId === null || toId === null || fromId === toId || hasRelation(this.db, "talks-to", fromId, toId))
        continue;
      seeRelation(this.db, { type: "talks-to", fromId, toId, detail: "", connections: 0, seenBy: SPANS }, nowMs);
      insertChange(this.db, {
        atMs: nowMs,
        kind: "relation",
        componentId: fromId,
        summary: `${componentById(this.db, fromId)?.name} calls ${componentById(this.db, toId)?.name}`,
        by: "spans",
      });
      this.related = true;
    }
    this.spanWriter.newPairs = [];
  }
  /** Set when spans told of a relation that was not known. */
  related = false;

  /** Sums calls up over longer spans, for about `budgetMs`; call inside a transaction. */
  sumUp(nowMs: number, budgetMs: number): void {
    this.spanWriter.sumUp(nowMs, budgetMs);
  }

  /** Forgets what is older than it has to be kept; call inside a transaction. */
  forget(logsBeforeMs: number, spansBeforeMs: number): void {
    this.writer.forget(logsBeforeMs);
    this.spanWriter.forget(spansBeforeMs);
    forgetExemplars(this.db, spansBeforeMs);
  }
}
