import { z } from "zod";
import { severityRank, type Severity } from "../alarms/severity";
import { BURN_WINDOWS, isBurning } from "../stats/objective";
import { spokenDuration } from "../time/windows";
import type { Detector } from "./detector";

const severity = (title: string, first: "critical" | "major" | "minor" | "warning") =>
  z
    .enum(["critical", "major", "minor", "warning", "none"])
    .default(first)
    .meta({ title, choices: ["critical", "major", "minor", "warning", "no alarm"] });

export const burnSettings = z.strictObject({
  hour: severity("2 % of the budget within an hour", "major"),
  sixHours: severity("5 % within six hours", "minor"),
  threeDays: severity("10 % within three days", "warning"),
});
export type BurnSettings = z.infer<typeof burnSettings>;

export interface BurnState {
  severity: Severity;
}

const HELD = 0.7;

const asked = ({ hour, sixHours, threeDays }: BurnSettings) => [hour, sixHours, threeDays];

/** Judges how fast a service uses up what its objective allows, over the published windows (common practice). */
export const burn: Detector<BurnSettings, BurnState, "objectives"> = {
  type: "burn",
  label: "Budget of an objective",
  about:
    "Tells when a service uses up the budget of its objective too fast: 14.4, 6 and 1 times the even rate, over an hour, six hours and three days.",
  what: "objectives",
  settings: burnSettings,
  reads: () => ({ what: "objectives", metric: "objective.burn" }),
  memory: () => ({ ms: 0, inputs: 1 }),
  fresh: (known = "cleared") => ({ severity: known }),
  direction: () => "above",
  limits: () => [],
  describe: (settings) =>
    `Budget of the objective burns: ${BURN_WINDOWS.flatMap(({ longMs, rate }, index) =>
      asked(settings)[index] === "none"
        ? []
        : [`${asked(settings)[index]} at ${rate} times the even rate over ${spokenDuration(longMs)}`],
    ).join(", ")}`,
  evaluate: (settings, state, { atMs, windows }) => {
    const burning = windows.flatMap((window, index) => {
      const level = asked(settings)[index] ?? "none";
      // What burns is left a little below its rate, so that it does not come and go at it.
      const rate = window.rate * (level === state.severity ? HELD : 1);
      return level !== "none" && isBurning(window.long, window.short, rate) ? [{ ...window, level }] : [];
    });
    const worst = burning.reduce<(typeof burning)[number] | undefined>(
      (most, one) => (most && severityRank(most.level) >= severityRank(one.level) ? most : one),
      undefined,
    );
    const next: Severity = worst?.level ?? "cleared";
    if (next === state.severity) return undefined;
    state.severity = next;
    return worst
      ? {
          severity: next,
          score: 90,
          onsetMs: atMs - worst.shortMs,
          text: `The budget of its objective burns ${worst.long.toFixed(1)} times as fast as it may, over ${spokenDuration(worst.longMs)}`,
        }
      : { severity: "cleared", score: 0, onsetMs: atMs, text: "The budget of its objective lasts again" };
  },
};
