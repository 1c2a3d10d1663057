import { z } from "zod";

/** Fields that the rules of several detectors have. */
export const metricField = z.string().trim().min(1, "Say which metric is judged.").max(200).meta({ title: "Metric" });

export const severityField = z
  .enum(["critical", "major", "minor", "warning"])
  .default("minor")
  .meta({ title: "Severity" });

/** A whole number of minutes. */
export const minutesField = (title: string, first: number, most: number, description?: string) =>
  z.coerce
    .number("Minutes are a number.")
    .min(1, "At least a minute.")
    .max(most, `At most ${most} minutes.`)
    .default(first)
    .meta({ title, ...(description ? { description } : {}) });
