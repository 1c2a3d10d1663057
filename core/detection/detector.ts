import type { z } from "zod";
import type { Severity } from "../alarms/severity";
import type { Standing as ChangeStanding } from "../changes/judge";
import type { JobRun, Schedule, UsualRun } from "../jobs/runs";
import type { Range } from "./range";
import type { CallPoint, CallUsual } from "./call-usual";

/** What a detector reads: a series of samples, or how calls went, with the name of the condition. */
export type Reads =
  /** `over` is a metric of the same instance that the value is a share of. */
  | { what: "series"; metric: string; over?: string | undefined }
  | { what: "calls"; metric: string }
  | { what: "logs"; metric: string }
  | { what: "objectives"; metric: string }
  /** `*` for anything that a component sends. */
  | { what: "arrivals"; metric: string }
  | { what: "states"; metric: string }
  | { what: "changes"; metric: string }
  | { what: "jobs"; metric: string };

/** One sample of a series. */
export interface Input {
  atMs: number;
  value: number;
  /** What is usual of the series; given to detectors that learn, where it is known. */
  range?: Range | undefined;
  /** What others that ought to be alike have just now; given to detectors that compare. */
  others?: readonly number[] | undefined;
}

/** How long nothing came of something that usually does. */
export interface ArrivalInput {
  atMs: number;
  /** When something came last. */
  lastMs: number;
  /** The longest that it usually stays away, ms; undefined where too little came to know. */
  rhythmMs: number | undefined;
  /** Since when somebody listens; what stayed away before may well have come. Always where it is left out. */
  sinceMs?: number;
}

/** How a component or service stands: its alarms and figures, and those of whatever it consists of. */
export interface StateInput {
  atMs: number;
  own: Standing;
  members: readonly Standing[];
}

/** What an expression may ask of one thing. */
export interface Standing {
  name: string;
  kind: string;
  /** Alarms that stand, of every rule but the one that asks. */
  alarms: readonly { rule: string; metric: string; instance: string; severity: Severity }[];
  figure: (metric: string, instance: string) => number;
  /** How far out of its usual range a figure was found, 0 to 100; 0 where it is as usual. */
  unusual: (metric: string) => number;
}

/** A change of something that is judged by a rule. */
export interface ChangeInput {
  atMs: number;
  /** Those of the span that is looked at, the newest first. */
  changes: readonly { atMs: number; kind: string; summary: string; by: string; standing: ChangeStanding | null }[];
}

/** The runs of one job, with what is usual of those before the last. */
export interface JobInput {
  atMs: number;
  /** In order; the last may be running. */
  runs: readonly JobRun[];
  /** How long runs take; undefined where too few are known. */
  usual: UsualRun | undefined;
  /** When it is due; undefined where it starts at will. */
  schedule: Schedule | undefined;
  /** Since when runs would have been told of; what was due before is not known to be missed. */
  sinceMs: number;
}

/** Calls of the last minutes, the newest last, beside what is usual of them. */
export interface CallInput {
  atMs: number;
  points: readonly CallPoint[];
  usual: CallUsual;
}

/** Log records of one component that fit a rule, in the last minutes. */
export interface LogInput {
  atMs: number;
  count: number;
  /** In so many minutes at this time of day; undefined where nothing is known. */
  usual: { mean: number; variance: number } | undefined;
  /** One of them; empty for none. */
  example: string;
}

/** How fast a service uses up the budget of its objective, over each published window. */
export interface ObjectiveInput {
  atMs: number;
  windows: readonly { longMs: number; shortMs: number; rate: number; long: number; short: number }[];
}

/** What each kind of reading gives a detector to judge. */
export interface Inputs {
  series: Input;
  calls: CallInput;
  logs: LogInput;
  objectives: ObjectiveInput;
  arrivals: ArrivalInput;
  states: StateInput;
  changes: ChangeInput;
  jobs: JobInput;
}

/** What the sentences of a verdict need to know of what is judged. */
export interface Judged {
  instance: string;
  unit: string;
  /** The metric, where a rule is about any. */
  metric?: string;
}

export interface Verdict {
  severity: Severity;
  /** 0 to 100: how far out; 75 and more is usually an alarm. */
  score: number;
  /** When what is wrong began, by the samples; before the alarm is raised. */
  onsetMs: number;
  /** The sentence that explains it. */
  text: string;
}

/**
 * A way of judging. A new one is a file with one of these and a line in `registry.ts`: the form of a rule is made from
 * its schema, and whatever it reads of a component or a service can be judged by it.
 */
export interface Detector<Settings, State, What extends keyof Inputs = "series"> {
  type: string;
  label: string;
  /** A sentence for whoever chooses among detectors. */
  about: string;
  what: What;
  /** Whether it is given what is usual of a series. */
  learns?: boolean;
  /** What it is compared with, where it is. */
  others?(settings: Settings): "siblings" | "instances";
  /** Whether what a rule finds is kept as evidence, and raises no alarm. */
  isFinding?(settings: Settings): boolean;
  /** Settings of a rule; fields carry their labels as `.meta({ title, description })`. */
  settings: z.ZodType<Settings>;
  reads(settings: Settings): Extract<Reads, { what: What }>;
  /** How much of the past an evaluation needs, milliseconds and inputs. */
  memory(settings: Settings): { ms: number; inputs: number };
  fresh(severity?: Severity): State;
  /** Takes one input in and returns a verdict when the severity changes; `state` is changed in place. */
  evaluate(settings: Settings, state: State, input: Inputs[What], judged: Judged): Verdict | undefined;
  /** Which way is wrong; tells alarms of one metric apart. */
  direction(settings: Settings): "above" | "below";
  /** The rule in words: "critical above 90 %, warning above 70 %, mean of 5 samples". */
  describe(settings: Settings, unit: string): string;
  /** Limits to be drawn in charts, where it has any. */
  limits(settings: Settings): { severity: Exclude<Severity, "cleared">; value: number }[];
}

export type SeriesDetector = Detector<unknown, unknown>;
export type CallDetector = Detector<unknown, unknown, "calls">;
export type LogDetector = Detector<unknown, unknown, "logs">;
export type ObjectiveDetector = Detector<unknown, unknown, "objectives">;
export type ArrivalDetector = Detector<unknown, unknown, "arrivals">;
export type StateDetector = Detector<unknown, unknown, "states">;
export type ChangeDetector = Detector<unknown, unknown, "changes">;
export type JobDetector = Detector<unknown, unknown, "jobs">;
export type AnyDetector =
  | SeriesDetector
  | CallDetector
  | LogDetector
  | ObjectiveDetector
  | ArrivalDetector
  | StateDetector
  | ChangeDetector
  | JobDetector;

/** What a rule is about: components of a kind, or services (`*` for all). */
export type Scope = { subject: "component"; kind: string } | { subject: "service"; service: string };
