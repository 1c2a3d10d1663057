import { z } from "zod";
import { common } from "./step";

export const waitStep = z.strictObject({
  type: z.literal("wait"),
  ...common,
  seconds: z
    .number("Say how long.")
    .min(0)
    .max(3600, "A wait lasts at most an hour.")
    .meta({ title: "How long", unit: "s" }),
});
export type WaitStep = z.infer<typeof waitStep>;

export const wait = {
  type: "wait",
  label: "Wait",
  about: "Waits a span of time.",
  acts: false,
  texts: () => [],
  words: (step: WaitStep) => `${step.seconds} seconds`,
};
