import { z } from "zod";
import type { Severity } from "../alarms/severity";
import { MINUTE_MS, spokenDuration } from "../time/windows";
import type { Detector, StateInput } from "./detector";
import { severityField } from "./fields";
import { stateCondition, stateProblem } from "./state-expression";

export const compositeSettings = z.strictObject({
  when: z
    .string()
    .trim()
    .min(1, "Write the condition.")
    .max(1000, "A condition has at most 1,000 characters.")
    .superRefine((text, context) => {
      const problem = stateProblem(text);
      if (problem) context.addIssue({ code: "custom", message: problem });
    })
    .meta({
      title: "Condition (CEL)",
      description:
        'alarm("rule") >= minor · figure("cpu.used") > 80.0 · unusual("cpu.used") >= 75.0 · worst >= major; of its members: unwell(minor) >= 2 · unwell("rule", major) * 2 > members · over("memory.used", 90.0) >= 2',
      lines: true,
    }),
  minutes: z.coerce
    .number("Minutes are a number.")
    .min(0, "Not less than none.")
    .max(1440, "At most a day.")
    .default(0)
    .meta({ title: "Held for (min)" }),
  says: z
    .string()
    .trim()
    .max(200, "A sentence has at most 200 characters.")
    .default("")
    .meta({ title: "What the alarm says", description: "Empty for the condition itself." }),
  severity: severityField,
});
export type CompositeSettings = z.infer<typeof compositeSettings>;

export interface CompositeState {
  severity: Severity;
  sinceMs: number | undefined;
  condition: ((input: StateInput) => boolean) | undefined;
}

/** Judges by an expression over other rules' states and over figures, of one thing or of what it consists of. */
export const composite: Detector<CompositeSettings, CompositeState, "states"> = {
  type: "composite",
  label: "Combination",
  about:
    "Combines other rules and figures by an expression: several at once, at least so many of a service's members, one only while another stands.",
  what: "states",
  settings: compositeSettings,
  reads: () => ({ what: "states", metric: "state.combined" }),
  memory: () => ({ ms: 0, inputs: 1 }),
  fresh: (severity = "cleared") => ({ severity, sinceMs: undefined, condition: undefined }),
  direction: () => "above",
  limits: () => [],
  describe: ({ when, minutes, severity }) =>
    `${severity} when ${when.replace(/\s+/g, " ")}${minutes > 0 ? ` for ${spokenDuration(minutes * MINUTE_MS)}` : ""}`,

  evaluate: (settings, state, input) => {
    state.condition ??= stateCondition(settings.when);
    const { atMs } = input;
    const words = settings.says || settings.when.replace(/\s+/g, " ");
    if (!state.condition(input)) {
      state.sinceMs = undefined;
      if (state.severity === "cleared") return undefined;
      state.severity = "cleared";
      return { severity: "cleared", score: 0, onsetMs: atMs, text: `Not so any more: ${words}` };
    }
    state.sinceMs ??= atMs;
    if (state.severity !== "cleared" || atMs - state.sinceMs < settings.minutes * MINUTE_MS) return undefined;
    state.severity = settings.severity;
    return { severity: settings.severity, score: 85, onsetMs: state.sinceMs, text: words };
  },
};
