import { DAY_MS, HOUR_MS, MINUTE_MS } from "#core/time/windows";
import type { ClockSetting } from "#core/time/clock";
import type { PastMoment, Standins } from "./standins";
import type { Batch } from "../receivers/batch";
import type { Db } from "../store/database";
import { componentsOfPrefix } from "../store/platforms";
import { listServices } from "../store/services";
import type { BatchIngest } from "../ingest/batches";
import type { AlarmEvent } from "../alarms/alarm-book";
import type { Poller } from "../polling/poller";
import type { SampleWriter } from "../ingest/sample-writer";

/** Distance of history's polls. */
const STEP_MS = 5 * MINUTE_MS;

/** Platform, account, region and list stand before a thing's own id. */
const NATIVE_PARTS = 4;

/** What living through the past needs of the engine. */
export interface PastContext {
  db: Db;
  standins: Standins;
  sampleWriter: SampleWriter;
  batches: BatchIngest;
  poller: Poller;
  /** Sets the engine's clock and the stand-ins'. */
  setClock: (setting: ClockSetting) => Promise<void>;
  /** Stops the engine's own clock at an instant and returns that setting. */
  turnClock: (atMs: number) => ClockSetting;
  sweepAll: () => Promise<void>;
  judge: () => AlarmEvent[];
  snapshots: (events: readonly AlarmEvent[]) => Promise<void>;
  writeSeen: () => void;
  /** Takes up what senders told of that was not in the estate. */
  takeUp: () => void;
}

/** The stand-ins answer within seconds: a sweep that takes so long met a machine that was held up, and missed some. */
const HELD_UP_MS = 20_000;
const MOST_SWEEPS = 3;

/**
 * Sweeps until a sweep was not held up, three times at the most: what is missed at first is missing from all of the past.
 * @param machineMs time of the machine
 */
export async function sweepInFull(sweep: () => Promise<void>, machineMs = () => performance.now()): Promise<void> {
  for (let time = 0; time < MOST_SWEEPS; time++) {
    const beganMs = machineMs();
    await sweep();
    if (machineMs() - beganMs < HELD_UP_MS) return;
  }
}

/** When the estate is swept: when it is first met, and again on two later days, as a team would. */
const sweepsBetween = (fromMs: number, toMs: number) =>
  [fromMs, toMs - 6 * DAY_MS + 2 * HOUR_MS, toMs - 10 * HOUR_MS].filter((at) => at >= fromMs && at < toMs);

/**
 * Lives through the stand-ins' past in fast motion: real sweeps with the stand-ins' clock turned back, then what every
 * poll would have read and what every sender would have sent, a moment at a time, through intake and engine.
 */
export async function liveThroughPast(
  context: PastContext,
  fromMs: number,
  toMs: number,
  onProgress: (text: string) => void,
): Promise<void> {
  const { db, standins, sampleWriter } = context;
  const sweepAt = sweepsBetween(fromMs, toMs);
  for (let index = 0; index < sweepAt.length; index++) {
    const at = sweepAt[index] as number;
    await context.setClock({ baseMs: at, machineMs: Date.now(), pace: 1 });
    onProgress(`sweeping the estate as of ${new Date(at).toISOString().slice(0, 16)}Z`);
    await sweepInFull(context.sweepAll);
    const take = momentTaker(context, -1 - index * 1_000_000);
    let told = 0;
    db.exec("BEGIN");
    for await (const moment of standins.past(at + STEP_MS, sweepAt[index + 1] ?? toMs, STEP_MS)) {
      const clock = context.turnClock(moment.atMs);
      take(moment);
      if (context.batches.settle().grown) context.takeUp();
      const pending = context.judge();
      sampleWriter.write("full").settle();
      sampleWriter.judged();
      if (pending.some((event) => event.what === "raised" || event.what === "worse")) {
        // Other connections must see the alarm before its process table is read with the stand-ins' clock turned to it.
        db.exec("COMMIT");
        await standins.setClock(clock);
        await context.snapshots(pending);
        db.exec("BEGIN");
      }
      const day = Math.floor((moment.atMs - fromMs) / DAY_MS);
      if (day > told) {
        told = day;
        onProgress(`replayed ${day} of ${Math.round((toMs - fromMs) / DAY_MS)} days`);
      }
    }
    const written = sampleWriter.write("everything");
    context.writeSeen();
    db.exec("COMMIT");
    written.settle();
    sampleWriter.judged();
  }
}

/**
 * Hands one moment's polls, figures and records on to those who take them; handles from `base` down are given by no
 * receiver.
 */
function momentTaker({ db, poller, batches, sampleWriter }: PastContext, base: number): (moment: PastMoment) => void {
  const asBatch = courier(base);
  const byAddress = new Map([...poller.hosts.values()].map((host) => [host.target.address, host]));
  const figures = new Map(
    listServices(db).flatMap((service) =>
      service.figure ? [[service.figure.metric, { id: service.id, figure: service.figure }] as const] : [],
    ),
  );
  // What a thing goes by on its platform is the end of its key there.
  const things = new Map(
    componentsOfPrefix(db, "native:").map(({ id, key }) => [key.split("/").slice(NATIVE_PARTS).join("/"), id]),
  );
  return (moment) => {
    for (const [address, poll] of moment.polls) {
      const host = byAddress.get(address);
      if (!host) continue;
      if (poll) poller.take(host, poll, moment.atMs, undefined);
      else poller.takeSilence(host.id, moment.atMs);
    }
    for (const [metric, value] of moment.figures) {
      const one = figures.get(metric);
      if (one) poller.takeFigure(one.id, one.figure, value, moment.atMs);
    }
    for (const [id, metric, unit, value] of moment.clouds) {
      const componentId = things.get(id);
      if (componentId === undefined) continue;
      const series = sampleWriter.series({ componentId, serviceId: null }, metric, "", unit, moment.atMs);
      sampleWriter.record(series, moment.atMs, value);
    }
    if (moment.says.length || moment.spans.length || moment.measured.length) batches.take(asBatch(moment), moment.atMs);
  };
}

/** Hands moments over as receivers would: senders and series are told of once, their values each time. */
function courier(base: number): (moment: PastMoment) => Batch {
  let next = base;
  const handles = new Map<string, number>();
  /** The handle of a thing, and whether it is told of for the first time. */
  const handleOf = (key: string): [handle: number, isNew: boolean] => {
    const known = handles.get(key);
    if (known !== undefined) return [known, false];
    handles.set(key, --next);
    return [next, true];
  };
  return ({ atMs, says, spans, senders, measured }) => {
    const resources: Batch["resources"] = [];
    const series: Batch["series"] = [];
    const taken: number[] = [];
    const values: number[] = [];
    const senderHandle = (sender: number) => {
      const [handle, isNew] = handleOf(`s${sender}`);
      if (isNew) resources.push({ handle, attributes: senders[sender] ?? {} });
      return handle;
    };
    measured.forEach((one, index) => {
      if (!one.values) return;
      const [resource, isNew] = handleOf(`m${index}`);
      if (isNew) resources.push({ handle: resource, attributes: one.attributes });
      one.metrics.forEach((metric, place) => {
        const value = one.values?.[place];
        if (value === null || value === undefined) return;
        const [handle, isFirst] = handleOf(`m${index}.${place}`);
        if (isFirst) series.push({ ...metric, handle, resource, instrument: metric.instrument ?? "gauge" });
        taken.push(handle);
        values.push(value);
      });
    });
    const logs = says.map((said) => ({
      resource: senderHandle(said.sender),
      atMs: said.atMs,
      severity: said.severity,
      body: said.text,
      attributes: null,
      traceId: said.traceId,
      spanId: said.spanId,
    }));
    const told = spans.map(({ sender, failed, attributes, message, ...span }) => ({
      ...span,
      resource: senderHandle(sender),
      status: failed ? 2 : 0,
      detail: JSON.stringify(message ? { attributes, message } : { attributes }),
    }));
    return {
      resources,
      series,
      handles: Int32Array.from(taken),
      times: new Float64Array(taken.length).fill(atMs),
      values: Float64Array.from(values),
      logs,
      events: [],
      exemplars: [],
      spans: told,
    };
  };
}
