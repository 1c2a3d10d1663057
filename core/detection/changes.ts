import { z } from "zod";
import type { Severity } from "../alarms/severity";
import type { Standing } from "../changes/judge";
import { HOUR_MS } from "../time/windows";
import type { ChangeInput, Detector } from "./detector";
import { severityField } from "./fields";

export const changeSettings = z.strictObject({
  standing: z
    .enum(["wrong", "none", "outside", "more", "any"])
    .default("wrong")
    .meta({
      title: "Alarm when a change is",
      choices: [
        "without ticket, outside its window, or more than the ticket says",
        "without a ticket",
        "outside its window",
        "more than the ticket says",
        "made at all",
      ],
    }),
  kind: z
    .string()
    .trim()
    .max(60)
    .default("")
    .meta({ title: "Kind of change", description: "As the list of changes shows it; empty for any." }),
  words: z
    .string()
    .trim()
    .max(100, "At most 100 characters.")
    .default("")
    .meta({ title: "Words", description: "All of them in what is said of it or in who did it; empty for any." }),
  hours: z.coerce
    .number("Hours are a number.")
    .min(0.25, "At least a quarter of an hour.")
    .max(168, "At most a week.")
    .default(4)
    .meta({ title: "Stands for (h)", description: "Or until a ticket is found for it." }),
  severity: severityField,
});
export type ChangeSettings = z.infer<typeof changeSettings>;

export interface ChangeState {
  severity: Severity;
}

const WORDS: Readonly<Record<Standing, string>> = {
  planned: "with a ticket",
  none: "without a ticket",
  outside: "outside its window",
  more: "more than the ticket says",
};

/** Whether a change is one that a rule is about. */
export function isMeant(
  { standing, kind, words }: ChangeSettings,
  change: Pick<ChangeInput["changes"][number], "kind" | "summary" | "by"> & { standing: Standing | null },
): boolean {
  if (kind !== "" && change.kind !== kind) return false;
  const text = `${change.summary} ${change.by}`.toLowerCase();
  if (
    !words
      .toLowerCase()
      .split(/\s+/)
      .every((word) => text.includes(word))
  )
    return false;
  if (standing === "any") return true;
  if (change.standing === null || change.standing === "planned") return false;
  return standing === "wrong" || change.standing === standing;
}

/** Judges changes by their tickets: without one, outside its window, or more than it says. */
export const changes: Detector<ChangeSettings, ChangeState, "changes"> = {
  type: "changes",
  label: "Changes",
  about: "Tells of changes that have no ticket, come outside their window, or do more than their ticket says.",
  what: "changes",
  settings: changeSettings,
  reads: ({ standing }) => ({ what: "changes", metric: standing === "any" ? "change.made" : "change.unplanned" }),
  memory: ({ hours }) => ({ ms: hours * HOUR_MS, inputs: 1 }),
  fresh: (severity = "cleared") => ({ severity }),
  direction: () => "above",
  limits: () => [],
  describe: (settings) => {
    const which = settings.kind ? `${settings.kind} change` : "change";
    const what = {
      wrong: "is without ticket, outside its window or more than its ticket says",
      none: "has no ticket",
      outside: "comes outside its window",
      more: "is more than its ticket says",
      any: "is made",
    }[settings.standing];
    return `${settings.severity} when a ${which}${settings.words ? ` with “${settings.words}”` : ""} ${what}`;
  },

  evaluate: (settings, state, { atMs, changes: given }) => {
    const meant = given.filter((one) => atMs - one.atMs < settings.hours * HOUR_MS && isMeant(settings, one));
    const [newest] = meant;
    if (!newest) {
      if (state.severity === "cleared") return undefined;
      state.severity = "cleared";
      return { severity: "cleared", score: 0, onsetMs: atMs, text: "No such change lately, or its ticket was found" };
    }
    if (state.severity !== "cleared") return undefined;
    state.severity = settings.severity;
    const how = newest.standing === null ? "" : ` ${WORDS[newest.standing]}`;
    const more = meant.length > 1 ? `, and ${meant.length - 1} more` : "";
    return {
      severity: settings.severity,
      score: 85,
      onsetMs: newest.atMs,
      text: `Changed${how} by ${newest.by}: ${newest.summary}${more}`,
    };
  },
};
