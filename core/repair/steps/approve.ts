import { z } from "zod";
import { ROLE_IDS } from "../../people/rights";
import { fillText, type Words } from "../fill";
import { common } from "./step";

export const approveStep = z.strictObject({
  type: z.literal("approve"),
  ...common,
  text: z.string().max(500).default("").meta({ title: "What is asked" }),
  role: z.enum(ROLE_IDS).default("responder").meta({ title: "Who may approve" }),
  withinMinutes: z.number().min(1).max(1440, "An approval waits at most a day.").default(15).meta({
    title: "Within",
    unit: "min",
  }),
});
export type ApproveStep = z.infer<typeof approveStep>;

export const approve = {
  type: "approve",
  label: "Approve",
  about: "Asks somebody else than who started the run. Without an answer in time the run ends.",
  acts: false,
  texts: (step: ApproveStep) => [step.text],
  words: (step: ApproveStep, words: Words) =>
    `${step.text ? `${fillText(step.text, words)} ` : ""}By a ${step.role} or higher, within ${step.withinMinutes} min`,
};
