import type { Ticket } from "#core/changes/tickets";
import type { z } from "zod";
import type { FingerprintBook } from "#core/estate/fingerprints";
import type { FocusLine } from "#core/spend/focus";
import type { Listing, Observation } from "#core/estate/observation";
import type { Access } from "../vault/kinds";
import type { HostPoll } from "#core/telemetry/poll";

/** What a source's driver found, as it comes. */
export type Found =
  | { what: "observations"; observations: Observation[] }
  /** Whose platform it is that is read, and the key of the component that stands for it. */
  | { what: "account"; account: string; key: string }
  /** What is there no more. */
  | { what: "gone"; keys: string[] }
  /** What was done on the platform, and to what. */
  | { what: "changes"; changes: PlatformChange[] }
  /** Of what is followed: all that belongs together has been told. */
  | { what: "round" }
  /** Everything whose key begins so was told of: what was not is gone, as the platform itself says. */
  | { what: "listed"; prefix: string }
  | { what: "measures"; measures: Measure[] }
  /** Runs of batch jobs, by the key of what they belong to. */
  | { what: "runs"; runs: { key: string; startedMs: number; endedMs: number | undefined; failed: boolean }[] }
  /** Planned work, as tickets or a calendar tell of it; all of them, in parts. */
  | { what: "tickets"; tickets: Ticket[] }
  /** What is charged for, of whole billing periods. */
  | { what: "costs"; lines: FocusLine[] }
  /** Something answered, but could not be read; the reason is a sentence. */
  | { what: "failure"; address: string; reason: string; /** Of a platform, by its id there. */ region?: string }
  | { what: "progress"; tried: number; answering: number; recognised: number; failed: number };

/** Something that was done on a platform, or that it warns of. */
export interface PlatformChange {
  key: string;
  summary: string;
  /** A deployment where it is not said. */
  kind?: "deployment" | "event";
  /** When it was, where the platform says so. */
  atMs?: number;
}

/** A figure of something that was observed, by a key of it. */
export interface Measure {
  key: string;
  metric: string;
  instance: string;
  unit: string;
  value: number;
  /** When it was measured, where the platform says so. */
  atMs?: number;
}

export interface Checked {
  ok: boolean;
  /** What was tried and what it answered, line by line. */
  lines: string[];
}

export interface Process {
  pid: number;
  name: string;
  memoryBytes: number;
  /** Processor time so far in hundredths of a second. */
  cpuHundredths: number;
}

/** Host keys of SSH as they were met or approved. */
export interface HostKeys {
  known: (address: string, port: number) => string | undefined;
  /** Called with the key of a host that is met for the first time. */
  met: (address: string, port: number, fingerprint: string) => void;
}

/** What drivers are given besides their settings, because they know no store. */
export interface SourceTools {
  /** What products are recognised by. */
  book: FingerprintBook;
  hostKeys: HostKeys;
  /** The text of a mapping of REST interfaces, by its name. */
  mapping: (name: string) => string | undefined;
  now: () => number;
}

/** What is remembered of a platform's costs; whoever reads them notes here when and how it went. */
export interface CostMemory {
  /** Whether any were taken in before. */
  isKnown: boolean;
  /** When they are asked for next; undefined for at once. */
  nextMs?: number;
  /** Why they could not be read. */
  problem?: string;
}

/** What is known of a platform from looks before. */
export interface PlatformMemory {
  /** Id of the account that its things belong to. */
  account: string | undefined;
  /** How often figures are asked for, in the machine's milliseconds. */
  everyMs: number;
  /** Absent where costs are not asked for. */
  costs?: CostMemory;
}

/** How a host that a source covers is reached. */
export interface PollTarget<Settings> {
  address: string;
  settings: Settings;
  /** What the source may use there, in its order. */
  access: readonly Access[];
  tools: SourceTools;
}

export interface PollWish {
  processes: boolean;
  guests: boolean;
  /** How long an answer is waited for before it is asked again, milliseconds of the machine. */
  timeoutMs: number;
}

/**
 * A way to find and measure things. A new kind of source is a folder with one of these and a line in `registry.ts`:
 * the form of its settings is made from the schema, what it finds goes the one way of observations.
 */
export interface SourceDriver<Settings = unknown> {
  kind: string;
  label: string;
  /** A sentence for whoever chooses among kinds. */
  about: string;
  /** Fields carry their labels as `.meta({ title, description })`. */
  settings: z.ZodType<Settings>;
  /**
   * Absent where nothing secret is needed. A secret is for the places it was given for: `serves` tells whether that is
   * still so when settings change, else it is asked for again.
   */
  credential?: {
    label: string;
    help: string;
    /** What the secret of the form is: a kind of credential, and the name of its field. */
    kind: string;
    field: string;
    /** For which addresses the secret is. */
    destinations(settings: Settings): string;
    serves(settings: Settings, before: Settings): boolean;
  };
  /** Kinds of credentials of the vault that it can use. */
  uses?: readonly string[];
  /** What to do, as a sentence, where it has none and can do nothing without. */
  needsCredential?: string;
  /** What it is called where it says what it was told, and did not look: "list". */
  hearsay?: string;
  /** Where polling makes sense: its usual interval, seconds. */
  pollSeconds?: number;
  /** It has the tickets that changes name: it is read as soon as one does. */
  hasTickets?: boolean;
  /** It looks for hosts wherever they may be: its sweep is brought forward for a sender on a host that nobody knows. */
  findsHosts?: boolean;
  /** What it covers, in words, and how many places that are to be looked at. */
  covers(settings: Settings): { text: string; places: number };
  /** Tries it, and repeats the other side's own answer. Ends when the signal is aborted. */
  check(settings: Settings, access: readonly Access[], signal: AbortSignal, tools: SourceTools): Promise<Checked>;
  /** Looks at everything it covers. Ends soon after the signal is aborted, whatever hangs. */
  discover?(
    settings: Settings,
    access: readonly Access[],
    signal: AbortSignal,
    tools: SourceTools,
    memory: PlatformMemory,
  ): AsyncIterable<Found>;
  /**
   * One look at a platform: all it has and what it measures, again and again at the interval of polls. Failures of parts
   * are told; it throws where nothing could be read.
   */
  look?(
    settings: Settings,
    access: readonly Access[],
    signal: AbortSignal,
    tools: SourceTools,
    memory: PlatformMemory,
  ): AsyncIterable<Found>;
  /**
   * Looks at a platform that tells of every change, and goes on: rounds of all it has and measures, each ended by “round”.
   * It ends when it is aborted, or throws where it cannot go on.
   */
  follow?(
    settings: Settings,
    access: readonly Access[],
    signal: AbortSignal,
    tools: SourceTools,
    memory: PlatformMemory,
  ): AsyncIterable<Found>;
  /**
   * Has so many copies of a workload run. Throws with a reason where it is not done.
   * @param keys of the workload
   * @param wanted how many there are to be, from how many there are
   */
  scale?(
    settings: Settings,
    access: readonly Access[],
    keys: readonly string[],
    wanted: (now: number) => { copies: number } | { problem: string },
    signal: AbortSignal,
  ): Promise<{ before: number; after: number } | { problem: string }>;
  /** What a discovery that ended by itself has listed in full. */
  listings?(settings: Settings): Listing[];
  /** One look at a host for its metrics; throws with a reason when it does not answer. */
  poll?(target: PollTarget<Settings>, also: PollWish): Promise<HostPoll>;
  /** All processes of a host. */
  processes?(target: PollTarget<Settings>): Promise<Process[]>;
}
