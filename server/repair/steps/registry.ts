import type { Step, StepType } from "#core/repair/steps/registry";
import { takeAgent } from "./agent";
import { takeCheck } from "./check";
import { takeCommand } from "./command";
import { takeHttp } from "./http";
import { takeScale } from "./scale";
import { takeScript } from "./script";
import { takeSql } from "./sql";
import type { TakeStep } from "./taker";
import { takeApprove, takeNote, takeWait } from "./waiting";

/** How each kind of step is taken; steps that only hold others are walked. A new one is a line here. */
const TAKERS: Partial<{ [Type in StepType]: TakeStep<Extract<Step, { type: Type }>> }> = {
  command: takeCommand,
  script: takeScript,
  http: takeHttp,
  sql: takeSql,
  agent: takeAgent,
  scale: takeScale,
  wait: takeWait,
  check: takeCheck,
  approve: takeApprove,
  note: takeNote,
};

export const takerOf = (type: StepType) => TAKERS[type] as TakeStep<Step> | undefined;
