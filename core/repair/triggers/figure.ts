import { z } from "zod";
import { metricInfo, metricTitle } from "../../catalogue/metrics";
import { formatValue } from "../../units/format";

export const figureTrigger = z.strictObject({
  type: z.literal("figure"),
  metric: z.string("Choose a figure.").min(1, "Choose a figure.").max(80),
  /** Only of this instance, as of one mount point; of each where it is empty. */
  instance: z.string().max(120).default(""),
  is: z.enum(["above", "below"]).default("above"),
  value: z.number("Say which value."),
  forMinutes: z.number().min(0).max(1440).default(5),
});
export type FigureTrigger = z.infer<typeof figureTrigger>;

/** Whether a figure has been past the limit for as long as asked: some sample in it and none within the limit. */
export function isPast({ is, value }: Pick<FigureTrigger, "is" | "value">, samples: readonly number[]): boolean {
  const measured = samples.filter((one) => !Number.isNaN(one));
  return measured.length > 0 && measured.every((one) => (is === "above" ? one > value : one < value));
}

export const figure = {
  type: "figure",
  label: "A figure is past a limit",
  fills: ["due.instance", "due.value"],
  words: ({ metric, instance, is, value, forMinutes }: FigureTrigger) =>
    `${metricTitle(metric, instance)} ${is} ${formatValue(value, metricInfo(metric).unit)}${forMinutes ? ` for ${forMinutes} min` : ""}`,
};
