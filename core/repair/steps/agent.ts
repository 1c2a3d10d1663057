import { z } from "zod";
import { ACTION_NAME } from "../../estate/agent-actions";
import { common, timeout } from "./step";

const acted = {
  /** Name of an action that the owner of the host allows in the agent's own file; nothing is filled into it. */
  action: z
    .string("Name the action.")
    .regex(ACTION_NAME, "An action has small letters, digits and -.")
    .meta({ title: "Action" }),
  accept: z.array(z.number().int().min(0).max(255)).min(1).default([0]).meta({ title: "Exit codes that are well" }),
  timeoutSeconds: timeout(120),
};
export const undoAgent = z.strictObject({ type: z.literal("agent"), ...acted });
export const agentStep = z.strictObject({ type: z.literal("agent"), ...common, ...acted, undo: undoAgent.optional() });
export type AgentStep = z.infer<typeof agentStep>;

/** What the agent of a host may do by leave of its owner. */
export const agent = {
  type: "agent",
  label: "Agent action",
  about: "Has the agent of the host do one of the few things that its owner allows in the agent's own file.",
  acts: true,
  texts: () => [],
  words: (step: z.infer<typeof undoAgent>) => `the agent does ${step.action}`,
};
