import type { Words } from "#core/repair/fill";
import type { Step } from "#core/repair/steps/registry";
import type { ComponentRow } from "../../store/estate";
import type { OpenLines } from "../over-ssh";
import type { RunnerWorld } from "../world";

/** What a step is taken with. */
export interface StepContext {
  world: RunnerWorld;
  runId: number;
  position: number;
  /** “Restart a service” */
  runbook: string;
  startedAtMs: number;
  target: ComponentRow;
  words: Words;
  /** Values taken out on the way so far. */
  taken: Readonly<Record<string, unknown>>;
  args: Readonly<Record<string, string>>;
  signal: AbortSignal;
  /** SSH connections of the run, kept from step to step; each has one of its own where there are none. */
  lines?: OpenLines;
  /** Prints to the step's output. */
  print: (text: string) => void;
  /** Never to be printed. */
  keepSecret: (secrets: Iterable<string | undefined>) => void;
  /** Keeps values for the steps that follow. */
  keep: (values: Record<string, unknown>) => void;
  /** The command or call as it was made. */
  note: (made: { command?: string; exitCode?: number | null }) => void;
  /** Waits until somebody approves, or not. */
  ask: (untilMs: number) => Promise<{ by: string; approved: boolean } | undefined>;
}

/** Takes one kind of step. @returns a sentence when it failed */
export type TakeStep<One extends Step> = (step: One, context: StepContext) => Promise<string | undefined>;
