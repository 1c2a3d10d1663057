import { z } from "zod";
import { kindMatches } from "../catalogue/kinds";
import { ROLE_IDS } from "../people/rights";
import { spokenDuration } from "../time/windows";
import { fillText, unfilled, type Words } from "./fill";
import { limitsSchema } from "./guardrails";

/**
 * How far a policy is trusted: it only records what it would have done, proposes it, asks somebody, or acts. Trust grows a
 * step at a time and falls back by itself after a failure.
 */
export const LEVELS = [
  {
    id: "watch",
    label: "Watch",
    words: "only records what it would have done, and whether that would have been right",
  },
  { id: "propose", label: "Propose", words: "says on the incident what it would do" },
  { id: "approve", label: "Approve", words: "prepares the run and asks somebody to approve it" },
  { id: "automatic", label: "Automatic", words: "acts by itself" },
] as const;
export type Level = (typeof LEVELS)[number]["id"];
export const LEVEL_IDS = LEVELS.map((one) => one.id) as [Level, ...Level[]];

/** Where trust falls to after a failure. */
export const belowLevel = (level: Level): Level => LEVEL_IDS[Math.max(0, LEVEL_IDS.indexOf(level) - 1)] ?? "watch";

const texts = (most = 40) => z.array(z.string().min(1).max(80)).max(most).default([]);

export const policySchema = z.strictObject({
  name: z.string().trim().min(1, "Give it a name.").max(80, "A name has at most 80 characters."),
  isOn: z.boolean().default(true),
  level: z.enum(LEVEL_IDS).default("watch"),
  /** What it looks at: the likeliest cause of an incident, or each alarm that stands, whatever its cause. */
  by: z.enum(["cause", "alarm"]).default("cause"),
  /** Patterns of kinds that the cause is of; `line` is a line between sites. */
  causeKinds: texts().refine((kinds) => kinds.length > 0, "Say which kinds of cause it is for."),
  /** Patterns of metrics: one of them is in alarm on the cause, on what carries it or on a part of it. Any where there are none. */
  alarms: texts(),
  /** One of these is in alarm anywhere in the incident: for causes that look well themselves. */
  anywhere: texts(),
  /** None of these may be in alarm there. */
  without: texts(),
  /** A change of this kind came just before on the cause or a part of it. */
  after: z.enum(["any", "deployment", "change"]).default("any"),
  /** Uids; any service where there are none. */
  services: texts(100),
  sites: texts(100),
  leastPercent: z.number().int().min(1).max(100).default(60),
  /** Only where a service is affected: what hurts nobody is left to people. */
  whenHurt: z.boolean().default(true),
  /** What is likely within one host counts together: for repairs that are right wherever on the host the fault is. */
  countsHost: z.boolean().default(false),
  /** The same has been the likeliest so long. */
  steadySeconds: z.number().int().min(0).max(3600).default(15),
  /** Uid of the runbook. */
  runbook: z.string("Choose the runbook.").min(1, "Choose the runbook.").max(41),
  /** What it is run on: the cause, or the host that carries it. */
  on: z.enum(["cause", "host"]).default("cause"),
  /** Arguments, with {{cause.process}}, {{cause.host}}, {{cause.instance}}, {{cause.other_site}}, {{cause.setting}}. */
  args: z.record(z.string().max(40), z.string().max(200)).default({}),
  approver: z.enum(ROLE_IDS).default("responder"),
  /** A proved repair resolves the incident. */
  closes: z.boolean().default(true),
  limits: limitsSchema.prefault({}),
});
export type PolicyDefinition = z.infer<typeof policySchema>;

/** A likeliest cause as policies look at it. */
export interface CauseFacts {
  kind: string;
  name: string;
  site: string;
  probability: number;
  /** Of everything on the same host together. */
  hostProbability: number;
  /** So long it has been the likeliest without a break. */
  steadyMs: number;
  /** So long the likeliest has been on the same host. */
  hostSteadyMs: number;
  /** Metrics in alarm on it, on what carries it and on its parts. */
  alarms: readonly string[];
  /** Metrics in alarm anywhere in the incident. */
  elsewhere: readonly string[];
  /** Kinds of the changes just before on it or a part of it. */
  changes: readonly string[];
  services: readonly string[];
  /** What arguments are filled with: `cause.process` and the like. */
  words: Words;
}

/** Why a policy is for a cause, or why not, as a sentence. */
export function fits(policy: PolicyDefinition, cause: CauseFacts): { fits: boolean; words: string } {
  const no = (words: string) => ({ fits: false, words });
  if (!policy.isOn) return no("The policy is off");
  if (!policy.causeKinds.some((pattern) => kindMatches(pattern, cause.kind)))
    return no(`${cause.name} is a ${cause.kind}`);
  const has = (pattern: string) => cause.alarms.some((metric) => kindMatches(pattern, metric));
  if (policy.by === "alarm" && policy.alarms.length === 0) return no("It does not say for which alarm it is");
  if (policy.alarms.length > 0 && !policy.alarms.some(has))
    return no(`None of ${policy.alarms.join(", ")} is in alarm there`);
  const isAnywhere = (pattern: string) => cause.elsewhere.some((metric) => kindMatches(pattern, metric));
  if (policy.anywhere.length > 0 && !policy.anywhere.some(isAnywhere))
    return no(`None of ${policy.anywhere.join(", ")} is in alarm in the incident`);
  const unwanted = policy.without.find(has);
  if (unwanted !== undefined) return no(`${unwanted} is in alarm there`);
  if (policy.after !== "any" && !cause.changes.includes(policy.after))
    return no(`No ${policy.after} came just before on ${cause.name}`);
  if (policy.services.length > 0 && !policy.services.some((uid) => cause.services.includes(uid)))
    return no("It is of none of its services");
  if (policy.sites.length > 0 && !policy.sites.includes(cause.site)) return no(`${cause.name} is at ${cause.site}`);
  if (policy.whenHurt && cause.services.length === 0) return no("It hurts no service");
  const percent = Math.floor((policy.countsHost ? cause.hostProbability : cause.probability) * 100);
  if (percent < policy.leastPercent)
    return no(`${cause.name} is the cause with ${percent} % only; at least ${policy.leastPercent} %`);
  const steadyMs = policy.countsHost ? cause.hostSteadyMs : cause.steadyMs;
  if (steadyMs < policy.steadySeconds * 1000)
    return no(`${cause.name} has been the likeliest cause for ${spokenDuration(steadyMs)} only`);
  const missing = Object.values(policy.args).flatMap((text) => unfilled(text, cause.words));
  if (missing.length > 0) return no(`It is not known what ${missing.join(", ")} is`);
  return {
    fits: true,
    words:
      policy.by === "alarm"
        ? `${policy.alarms.filter(has).join(", ")} of ${cause.name} has been in alarm for ${spokenDuration(cause.steadyMs)}`
        : `${cause.name} is the likeliest cause with ${percent} %${policy.alarms.length ? `, ${policy.alarms.filter(has).join(", ")} in alarm` : ""}`,
  };
}

export const argumentsOf = (policy: PolicyDefinition, cause: CauseFacts): Record<string, string> =>
  Object.fromEntries(Object.entries(policy.args).map(([name, text]) => [name, fillText(text, cause.words)]));

/** One act that a policy would have done, and what people did then. */
export interface Trial {
  incidentId: number;
  componentName: string;
  /** Whether people said, or did, the same: a confirmed cause or a run of the same runbook there. Null where nobody did anything. */
  agreed: boolean | null;
}

/** How a policy would have done on the past: how often it would have acted, and how often people did the same. */
export function summaryOfTrials(trials: readonly Trial[]): { acts: number; same: number; other: number; open: number } {
  const count = (agreed: boolean | null) => trials.filter((one) => one.agreed === agreed).length;
  return { acts: trials.length, same: count(true), other: count(false), open: count(null) };
}
