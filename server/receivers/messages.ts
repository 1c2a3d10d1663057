import type { AgentAsks, AgentToDo } from "#core/estate/agent-actions";
import type { AgentReport } from "#core/estate/agent-report";
import type { TrapUser } from "./traps";
import type { Batch } from "./batch";
import type { SendingToken } from "./sender-tokens";
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
  /** Notifications of SNMP, and those that could not be read or whose sender is not known. */
  traps: number;
  trapsOdd: number;
  /** Messages by UDP that were dropped because too much was under way. */
  dropped: number;
  /** Datagrams that the kernel dropped before they could be read. */
  kernelDropped: number;
}

/** What an agent says of its host when it asks for a token. */
export interface Enrolling {
  code: string;
  hostId: string;
  hostName: string;
}

export type FromReceivers =
  | { kind: "batch"; id: number; batch: Batch }
  /** Handles that will not be used again. */
  | { kind: "release"; resources: number[]; series: number[] }
  /** An agent asks for a token of its own. */
  | { kind: "enrol"; id: number; asked: Enrolling; from: string }
  /** An agent says what runs on its host. */
  | { kind: "inventory"; id: number; report: AgentReport; from: string }
  /** An agent asks whether anything is to be done, and says what it did. */
  | { kind: "actions"; id: number; asks: AgentAsks }
  /** Tokens that were sent with. */
  | { kind: "used"; tokens: [id: number, atMs: number, from: string][] }
  | { kind: "figures"; figures: ReceiverFigures; scraped: TargetState[] };

export type ToReceivers =
  /** What was kept; `refused` are series, `rejected` counts records that cannot be kept. */
  | { kind: "kept"; id: number; refused: { handle: number; why: string }[]; rejected: number }
  | { kind: "failed"; id: number; problem: string }
  | { kind: "targets"; targets: Target[] }
  | { kind: "trap-users"; users: TrapUser[] }
  | { kind: "tokens"; tokens: SendingToken[] }
  | { kind: "enrolled"; id: number; outcome: Enrolled }
  /** With a sentence where it was not taken. */
  | { kind: "inventoried"; id: number; problem: string | undefined }
  | { kind: "to-do"; id: number; toDo: AgentToDo };

/** The token, or why there is none. */
export type Enrolled = { token: string } | { token?: undefined; problem: string };
