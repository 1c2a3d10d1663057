import { z } from "zod";
import { fillText, type Words } from "../fill";
import { common } from "./step";

export const subRunbookStep = z.strictObject({
  type: z.literal("runbook"),
  ...common,
  /** Uid of another runbook; its approved version is carried out. */
  runbook: z.string("Choose the runbook.").min(1, "Choose the runbook.").max(41).meta({ title: "Runbook" }),
  args: z.record(z.string().max(40), z.string().max(400)).default({}).meta({ title: "Arguments" }),
});
export type SubRunbookStep = z.infer<typeof subRunbookStep>;

export const subRunbook = {
  type: "runbook",
  label: "Runbook",
  about: "Carries out another runbook as a part of this one.",
  acts: false,
  texts: (step: SubRunbookStep) => Object.values(step.args),
  words: (step: SubRunbookStep, words: Words) =>
    `${step.runbook}${Object.entries(step.args)
      .map(([name, value]) => `, ${name} ${fillText(value, words)}`)
      .join("")}`,
};
