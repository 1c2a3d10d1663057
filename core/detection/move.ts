import { z } from "zod";
import type { Severity } from "../alarms/severity";
import { metricTitle } from "../catalogue/metrics";
import { MINUTE_MS, spokenDuration } from "../time/windows";
import { formatValue } from "../units/format";
import type { Detector } from "./detector";
import { metricField, minutesField, severityField } from "./fields";

export const moveSettings = z.strictObject({
  metric: metricField,
  direction: z
    .enum(["above", "below"])
    .default("above")
    .meta({ title: "Alarm when it", choices: ["rises", "falls"] }),
  by: z.coerce.number("The move is a number.").positive("The move is more than none.").meta({ title: "By at least" }),
  as: z
    .enum(["units", "percent"])
    .default("percent")
    .meta({ title: "Counted in", choices: ["the metric's own unit", "percent of what it was"] }),
  minutes: minutesField("Within (min)", 10, 1440),
  severity: severityField,
});
export type MoveSettings = z.infer<typeof moveSettings>;

export interface MoveState {
  severity: Severity;
  times: number[];
  values: number[];
}

/** It is over when what is left of the move is less than this share of what was asked. */
const EASED = 0.5;

/** Judges how far a value went within a short time, whatever its level. */
export const move: Detector<MoveSettings, MoveState> = {
  type: "move",
  label: "Rate of change",
  about: "Tells when a value rises or falls by a given amount within some minutes, whatever its level.",
  what: "series",
  settings: moveSettings,
  reads: ({ metric }) => ({ what: "series", metric }),
  memory: ({ minutes }) => ({ ms: minutes * MINUTE_MS, inputs: 5000 }),
  fresh: (severity = "cleared") => ({ severity, times: [], values: [] }),
  direction: ({ direction }) => direction,
  limits: () => [],
  describe: (settings, unit) =>
    `${metricTitle(settings.metric, "")} ${settings.direction === "above" ? "rises" : "falls"} by ${amount(settings, settings.by, unit)} or more within ${spokenDuration(settings.minutes * MINUTE_MS)}: ${settings.severity}`,

  evaluate: (settings, state, { atMs, value }, { instance, unit }) => {
    if (!Number.isFinite(value)) return undefined;
    state.times.push(atMs);
    state.values.push(value);
    let old = 0;
    while ((state.times[old] as number) < atMs - settings.minutes * MINUTE_MS) old++;
    if (old > 0) {
      state.times.splice(0, old);
      state.values.splice(0, old);
    }
    const isUp = settings.direction === "above";
    let from = 0;
    state.values.forEach((one, index) => {
      if (isUp ? one <= (state.values[from] as number) : one >= (state.values[from] as number)) from = index;
    });
    const before = state.values[from] as number;
    const way = isUp ? value - before : before - value;
    // Of nothing there is no share.
    const moved = settings.as === "units" ? way : before === 0 ? 0 : (way / Math.abs(before)) * 100;
    const name = metricTitle(settings.metric, instance);
    if (state.severity !== "cleared") {
      if (moved >= settings.by * EASED) return undefined;
      state.severity = "cleared";
      return { severity: "cleared", score: 0, onsetMs: atMs, text: `${name} is steady at ${formatValue(value, unit)}` };
    }
    if (moved < settings.by) return undefined;
    state.severity = settings.severity;
    const onsetMs = state.times[from] as number;
    return {
      severity: settings.severity,
      score: 85,
      onsetMs,
      text: `${name} ${isUp ? "rose" : "fell"} from ${formatValue(before, unit)} to ${formatValue(value, unit)} within ${spokenDuration(Math.max(1000, atMs - onsetMs))}`,
    };
  },
};

const amount = ({ as }: MoveSettings, by: number, unit: string) => formatValue(by, as === "units" ? unit : "%");
