import { z } from "zod";
import { SEVERITIES } from "../alarms/severity";
import { isZone, weekHoursSchema, type WeekHours } from "./week-hours";
import type { Severity } from "../alarms/severity";

/** What there is to tell about an incident. */
export const MOMENTS = [
  { id: "opened", label: "Opened", words: "it opened" },
  { id: "worse", label: "Worse", words: "it got worse" },
  { id: "cause", label: "Cause known", words: "its likeliest cause is known, or another than was told" },
  { id: "handed", label: "Taken or handed over", words: "somebody took it, or it was handed over" },
  { id: "unclaimed", label: "Escalated", words: "nobody took it in time" },
  { id: "charts", label: "Charts complete", words: "charts reach to five minutes after it opened" },
  { id: "eased", label: "Eased", words: "it eased" },
  { id: "reopened", label: "Reopened", words: "it opened again" },
  { id: "resolved", label: "Resolved", words: "it is over" },
] as const;
export type Moment = (typeof MOMENTS)[number]["id"];
export const MOMENT_IDS = MOMENTS.map((one) => one.id) as [Moment, ...Moment[]];
export const momentLabel = (id: string): string => MOMENTS.find((one) => one.id === id)?.label ?? id;

/** Whom a rule tells: a person, whoever is on call, or a channel that nobody in particular reads. */
export interface Recipient {
  kind: "person" | "rotation" | "channel";
  id: number;
}

/** Which incidents are told to whom, when. */
export interface TellingRule {
  id: number;
  name: string;
  isOn: boolean;
  /** Uids of services that it affects; any where there are none. */
  services: readonly string[];
  /** Sites of its alarms; any where there are none. */
  sites: readonly string[];
  leastSeverity: Severity;
  /** 1 is the most urgent: incidents of this priority and more urgent ones. */
  leastPriority: 1 | 2 | 3 | 4;
  /** Patterns of kinds that the likeliest cause is of; any where there are none. */
  causeKinds: readonly string[];
  /** Hours in which it tells; always where there are none. */
  hours: WeekHours | null;
  zone: string;
  moments: readonly Moment[];
  /** Told so long after it opened, or as soon as the cause is certain enough. */
  delayMinutes: number;
  certainPercent: number;
  /** At once, or gathered in one message at the full hour. */
  how: "message" | "digest";
  to: readonly Recipient[];
  /** Who is told besides when nobody took it so long after it was first told. */
  escalation: readonly { afterMinutes: number; to: readonly Recipient[] }[];
  /** Incidents that opened before are none of its business. */
  sinceMs: number;
}

const recipient = z.strictObject({ kind: z.enum(["person", "rotation", "channel"]), id: z.number().int().min(1) });
const names = z.array(z.string().max(120)).max(100);
const minutes = (least: number, most: number) =>
  z
    .number("Give a number of minutes.")
    .int("Whole minutes.")
    .min(least, `${least} minutes at least.`)
    .max(most, `${most} minutes at most.`);

export const MOST_STEPS = 6;

export const tellingRuleSchema = z.strictObject({
  name: z.string().trim().min(1, "Give the rule a name.").max(80),
  isOn: z.boolean(),
  services: names,
  sites: names,
  leastSeverity: z.enum(SEVERITIES),
  leastPriority: z.union([z.literal(1), z.literal(2), z.literal(3), z.literal(4)]),
  causeKinds: names,
  hours: weekHoursSchema.nullable(),
  zone: z.string().refine(isZone, "There is no such time zone. Write it as Europe/Lisbon or UTC."),
  moments: z.array(z.enum(MOMENT_IDS)).min(1, "Choose at least one occasion."),
  delayMinutes: minutes(0, 120),
  certainPercent: z.number("Give a number of percent.").min(50, "50 % at least.").max(100, "100 % at most."),
  how: z.enum(["message", "digest"]),
  to: z.array(recipient).min(1, "Choose who is told.").max(50),
  escalation: z
    .array(
      z.strictObject({
        afterMinutes: minutes(1, 1440),
        to: z.array(recipient).min(1, "Choose who is told then.").max(50),
      }),
    )
    .max(MOST_STEPS, `At most ${MOST_STEPS} steps.`)
    .refine(
      (steps) => steps.every((one, index) => index === 0 || one.afterMinutes > (steps[index - 1]?.afterMinutes ?? 0)),
      "Each step comes later than the one before.",
    ),
});
