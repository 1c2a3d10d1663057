import type { z } from "zod";
import type { Severity } from "../alarms/severity";

/** What a detector reads. Further ones are counts of log records, calls, objectives. */
export type Reads = { what: "series"; metric: string };

/** One thing that a detector is given to judge. */
export interface Input {
  atMs: number;
  value: number;
}

/** What the sentences of a verdict need to know of what is judged. */
export interface Judged {
  instance: string;
  unit: string;
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
 * its schema, and any series of a component or a service can be judged by it.
 */
export interface Detector<Settings, State> {
  type: string;
  label: string;
  /** A sentence for whoever chooses among detectors. */
  about: string;
  /** Settings of a rule; fields carry their labels as `.meta({ title, description })`. */
  settings: z.ZodType<Settings>;
  reads(settings: Settings): Reads;
  /** How much of the past an evaluation needs, milliseconds and inputs. */
  memory(settings: Settings): { ms: number; inputs: number };
  fresh(severity?: Severity): State;
  /** Takes one input in and returns a verdict when the severity changes; `state` is changed in place. */
  evaluate(settings: Settings, state: State, input: Input, judged: Judged): Verdict | undefined;
  /** Which way is wrong; tells alarms of one metric apart. */
  direction(settings: Settings): "above" | "below";
  /** The rule in words: "critical above 90 %, warning above 70 %, mean of 5 samples". */
  describe(settings: Settings, unit: string): string;
  /** Limits to be drawn in charts, where it has any. */
  limits(settings: Settings): { severity: Exclude<Severity, "cleared">; value: number }[];
}

export type AnyDetector = Detector<unknown, unknown>;

/** What a rule is about: components of a kind, or services (`*` for all). */
export type Scope = { subject: "component"; kind: string } | { subject: "service"; service: string };
