import { z } from "zod";
import { agent, agentStep, type AgentStep } from "./agent";
import { approve, approveStep, type ApproveStep } from "./approve";
import { check, checkStep, type CheckStep } from "./check";
import { choose, chooseStep, type ChooseStep as OpenChoose } from "./choose";
import { command, commandStep, type CommandStep } from "./command";
import { each, eachStep, type EachStep as OpenEach } from "./each";
import { http, httpStep, type HttpStep } from "./http";
import { innerSteps, tellSteps } from "./inner";
import { note, noteStep, type NoteStep } from "./note";
import { scale, scaleStep, type ScaleStep } from "./scale";
import { script, scriptStep, type ScriptStep } from "./script";
import { sql, sqlStep, type SqlStep } from "./sql";
import type { StepKind } from "./step";
import { subRunbook, subRunbookStep, type SubRunbookStep } from "./sub-runbook";
import { wait, waitStep, type WaitStep } from "./wait";

export type ChooseStep = Omit<OpenChoose, "do" | "otherwise"> & { do: Step[]; otherwise: Step[] };
export type EachStep = Omit<OpenEach, "steps"> & { steps: Step[] };
export type Step =
  | CommandStep
  | ScriptStep
  | HttpStep
  | SqlStep
  | AgentStep
  | ScaleStep
  | WaitStep
  | CheckStep
  | ChooseStep
  | ApproveStep
  | NoteStep
  | EachStep
  | SubRunbookStep;
export type StepType = Step["type"];

/** Every kind of step, in the order in which they are offered; a new one is a line here and one in `STEP_SCHEMAS`. */
export const STEP_KINDS = [
  command,
  script,
  http,
  sql,
  agent,
  scale,
  wait,
  check,
  choose,
  approve,
  note,
  each,
  subRunbook,
] as const;

const byType = new Map<string, StepKind>(STEP_KINDS.map((kind) => [kind.type, kind as unknown as StepKind]));
export const kindOfStep = (type: StepType): StepKind => byType.get(type) as StepKind;

/** Schemas by type: what the editor's forms are made from. */
export const STEP_SCHEMAS = {
  command: commandStep,
  script: scriptStep,
  http: httpStep,
  sql: sqlStep,
  agent: agentStep,
  scale: scaleStep,
  wait: waitStep,
  check: checkStep,
  choose: chooseStep,
  approve: approveStep,
  note: noteStep,
  each: eachStep,
  runbook: subRunbookStep,
} as const;

export const stepSchema = z.discriminatedUnion("type", [
  commandStep,
  scriptStep,
  httpStep,
  sqlStep,
  agentStep,
  scaleStep,
  waitStep,
  checkStep,
  chooseStep,
  approveStep,
  noteStep,
  eachStep,
  subRunbookStep,
]) as unknown as z.ZodType<Step>;
tellSteps(stepSchema);

/** A list of steps. */
export const stepsSchema = innerSteps as unknown as z.ZodType<Step[]>;

/** The lists of steps that a step holds, with a word for each. */
export function insideOf(step: Step): readonly { branch: "do" | "otherwise" | "each"; steps: readonly Step[] }[] {
  if (step.type === "choose")
    return [
      { branch: "do", steps: step.do },
      { branch: "otherwise", steps: step.otherwise },
    ];
  return step.type === "each" ? [{ branch: "each", steps: step.steps }] : [];
}
