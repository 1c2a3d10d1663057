import { DAY_MS, HOUR_MS } from "#core/time/windows";

/** What is taken from senders at most. */
export const LIMITS = {
  /** Attributes of one point; more would make a series of every one of them. */
  pointAttributes: 24,
  attributeKey: 120,
  attributeValue: 240,
  resourceAttributes: 64,
  logAttributes: 64,
  logAttributesText: 16_384,
  body: 32_768,
  spanName: 200,
  spanEvents: 64,
  spanLinks: 32,
  /** W3C Trace Context asks that at least 512 characters be handed on. */
  traceState: 512,
  /** Names of operations of one sender; further ones are counted together. */
  operationsOfResource: 500,
  metricName: 200,
  /** Series of one sender, and of all. */
  seriesOfResource: 20_000,
  series: 200_000,
  /** Series and senders that are new of one client within a day. */
  seriesOfClient: 100_000,
  sendersOfClient: 5_000,
  /** Senders held in memory; those heard longest ago are met anew when they come again. */
  sendersHeld: 5_000,
  /** Senders that are kept in the store. */
  senders: 20_000,
  /** Counts of buckets held of cumulative histograms. */
  bucketsHeld: 4_000_000,
  /** A sample may be this far ahead of the clock. */
  aheadMs: HOUR_MS,
  /** A sample may be this old. */
  behindMs: 30 * DAY_MS,
  /** Exemplars kept of one point: the highest. */
  exemplars: 4,
} as const;
