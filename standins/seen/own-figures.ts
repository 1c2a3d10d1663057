import { quantileOfBuckets } from "#core/telemetry/histogram";
import type { Operation, Pool, Station } from "../world/layout";
import type { World } from "../world/world";
import { attributesOf, isHeard, isInstrumented, type Sender } from "./lines";
import { BOUNDS, drawAnswers, measuredAs, totalsOf, type Answered, type MeasuredAs } from "./requests";

/** A figure that a process tells of itself, with the attribute that tells its points apart. */
export interface Gauge {
  name: string;
  unit: string;
  points: { key: string; of: string; value: number }[];
}

/** Connections of the pools of a process, by whom they lead to. */
export function poolGauges({ state, mods }: World, station: Station): Gauge[] {
  if (!station.pools.length) return [];
  const points = (value: (pool: Pool) => number) =>
    station.pools.map((pool) => ({ key: "db.client.connection.pool.name", of: pool.spec.process, value: value(pool) }));
  return [
    {
      name: "db.client.connection.count",
      unit: "{connection}",
      points: points((pool) => pool.ways.reduce((sum, way) => sum + (state.way.inUse[way.index] as number), 0)),
    },
    {
      name: "db.client.connection.max",
      unit: "{connection}",
      points: points((pool) => Math.min(pool.spec.connections, mods.poolTo[pool.index] as number) * pool.ways.length),
    },
  ];
}

/** Messages in the queues that a broker keeps; several brokers keep a part each. */
export function queueGauges({ state, layout }: World, station: Station): Gauge[] {
  const points = layout.queues
    .filter((queue) => queue.brokers.includes(station))
    .map((queue) => ({
      key: "messaging.destination.name",
      of: queue.name,
      value: (state.queue.depth[queue.index] as number) / queue.brokers.length,
    }));
  return points.length ? [{ name: "messaging.queue.depth", unit: "{message}", points }] : [];
}

/** Requests that are drawn one by one for a moment of the past. */
const MOST_DRAWN = 32;
const QUANTILES = [0.5, 0.95, 0.99] as const;

interface OwnMetric {
  metric: string;
  instance: string;
  unit: string;
  instrument?: "delta";
}

/** What one process tells of itself: requests by route and status, pools, queues. */
export interface OwnFigures {
  attributes: Record<string, string>;
  metrics: readonly OwnMetric[];
  /** Values in the order of the metrics, null where nothing was counted; undefined while nothing reports. */
  valuesAt: (atMs: number) => (number | null)[] | undefined;
}

/** What processes told of themselves at instants of the past, asked in order. */
export function ownFiguresOf(world: World, senders: readonly Sender[], fromMs: number): OwnFigures[] {
  return senders.flatMap((sender) => {
    const { station } = sender;
    if (!station) return [];
    const operations = isInstrumented(station)
      ? station.operations.flatMap((operation) => {
          const as = measuredAs(operation);
          return as ? [{ operation, as }] : [];
        })
      : [];
    const gauges = () => [
      ...(isInstrumented(station) ? poolGauges(world, station) : []),
      ...queueGauges(world, station),
    ];
    const metrics: OwnMetric[] = [
      ...operations.flatMap(({ as }) => [false, true].flatMap((failed) => requestMetrics(as, failed))),
      ...gauges().flatMap(({ name, unit, points }) =>
        points.map(({ key, of }) => ({ metric: name, instance: `${key}=${of}`, unit })),
      ),
    ];
    if (!metrics.length) return [];
    const before = new Map<Operation, { answered: number; failed: number }>();
    const valuesAt = (atMs: number) => {
      world.advance(atMs);
      const heard = isHeard(sender);
      const values = operations.flatMap(({ operation }): readonly (number | null)[] => {
        const now = totalsOf(world, operation, atMs);
        const last = before.get(operation);
        before.set(operation, now);
        return heard && last ? requestValues(drawAnswers(world, operation, last, now, atMs, MOST_DRAWN)) : NOTHING;
      });
      if (!heard) return undefined;
      for (const { points } of gauges()) for (const { value } of points) values.push(Math.round(value * 100) / 100);
      return values;
    };
    return [{ attributes: attributesOf(sender, fromMs), metrics, valuesAt }];
  });
}

const NOTHING: readonly null[] = Array<null>(2 * (2 + QUANTILES.length)).fill(null);

/** Names and attributes as the receiver makes them of a histogram of request durations. */
function requestMetrics({ metric: name, attributes }: MeasuredAs, failed: boolean): OwnMetric[] {
  const instance = Object.entries(attributes(failed))
    .map(([key, value]) => `${key}=${value}`)
    .join(", ");
  return [
    { metric: `${name}.count`, instance, unit: "1", instrument: "delta" },
    { metric: `${name}.sum`, instance, unit: "s", instrument: "delta" },
    ...QUANTILES.map((quantile) => ({ metric: `${name}.p${quantile * 100}`, instance, unit: "s" })),
  ];
}

function requestValues(ended: readonly Answered[]): (number | null)[] {
  return [false, true].flatMap((failed): readonly (number | null)[] => {
    const one = ended.find((each) => each.failed === failed);
    if (!one?.count) return NOTHING.slice(0, 2 + QUANTILES.length);
    return [
      one.count,
      Number(one.sum.toPrecision(9)),
      ...QUANTILES.map((quantile) =>
        Number(quantileOfBuckets(BOUNDS, one.counts, quantile, one.min, one.max).toPrecision(6)),
      ),
    ];
  });
}
