import { z } from "zod";

export const ACTION_NAME = /^[a-z][a-z0-9-]{0,39}$/;
const name = z.string().regex(ACTION_NAME);
export const MOST_ACTIONS = 50;
/** An agent keeps so much of what an action printed. */
export const MOST_OUTPUT = 65_536;

/** What an agent says when it asks whether anything is to be done: what its host's owner allows, and what it did. */
export const agentAsks = z.object({
  hostName: z.string().trim().min(1).max(253),
  hostId: z.string().max(120).default(""),
  actions: z.array(name).max(MOST_ACTIONS),
  done: z
    .array(
      z.object({
        id: z.string().max(60),
        exitCode: z.int().nullable(),
        output: z.string().max(MOST_OUTPUT + 100),
        /** Why it has no exit code. */
        failure: z.string().max(400).optional(),
      }),
    )
    .max(MOST_ACTIONS)
    .default([]),
});
export type AgentAsks = z.infer<typeof agentAsks>;

/** What is to be done, by the names that the agent offered. */
export interface AgentToDo {
  do: { id: string; action: string }[];
}
