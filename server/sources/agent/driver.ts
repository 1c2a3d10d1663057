import { z } from "zod";
import type { SourceDriver } from "../driver";

const whole = (what: string, least: number, most: number, usual: number) =>
  z.coerce
    .number(`${what} is a number.`)
    .int(`${what} is a whole number.`)
    .min(least, `${what}: at least ${least}.`)
    .max(most, `${what}: at most ${most.toLocaleString("en-GB")}.`)
    .default(usual);

export const agentSettings = z.strictObject({
  mostComponents: whole("Most components", 1, 100_000, 5000).meta({
    title: "Most components",
    description: "Hosts and containers that agents may make known; further ones are not taken.",
  }),
  hostLeavesAfterHours: whole("Hours", 1, 24 * 90, 24).meta({
    title: "A silent host leaves after (h)",
    description: "Hosts that only their agent reports.",
  }),
  containerEndsAfterMinutes: whole("Minutes", 1, 24 * 60, 5).meta({
    title: "A silent container has ended after (min)",
    description: "While its host's agent goes on reporting.",
  }),
});
export type AgentSettings = z.infer<typeof agentSettings>;

export const AGENT_KIND = "agent";
export const USUAL_AGENT_SETTINGS: AgentSettings = agentSettings.parse({});

/** Linux host agents: they report by themselves, so nothing is swept and nothing polled. */
export const agentDriver: SourceDriver<AgentSettings> = {
  kind: AGENT_KIND,
  label: "Host agents",
  about: "Hosts and containers that report by themselves; added on its own with the first report.",
  settings: agentSettings,
  covers: () => ({
    text: "Linux hosts that run the agent, and their containers",
    places: 0,
  }),
  check: async () => ({
    ok: true,
    lines: [
      "Agents report to this machine, so there is nothing to reach. Hosts that report are listed under Setup › Ingest.",
    ],
  }),
};
