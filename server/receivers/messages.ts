import type { Batch } from "./batch-builder";
import type { Target, TargetState } from "./scraper";

/** Running totals of the receivers since they started. */
export interface ReceiverFigures {
  requests: number;
  /** Requests that were told to come again later, because too much was under way. */
  throttled: number;
  /** Requests that could not be read. */
  unreadable: number;
  /** Points and records that were refused one by one. */
  refused: number;
  syslog: number;
  /** Syslog messages that obey no standard; they are kept whole. */
  syslogOdd: number;
  /** Messages by UDP that were dropped because too much was under way. */
  dropped: number;
}

export type FromReceivers =
  | { kind: "batch"; id: number; batch: Batch }
  /** Handles that will not be used again. */
  | { kind: "release"; resources: number[]; series: number[] }
  | { kind: "figures"; figures: ReceiverFigures; scraped: TargetState[] };

export type ToReceivers =
  /** What was kept; `refused` are series, `rejected` counts records that cannot be kept. */
  | { kind: "kept"; id: number; refused: { handle: number; why: string }[]; rejected: number }
  | { kind: "failed"; id: number; problem: string }
  | { kind: "targets"; targets: Target[] };
