import { z } from "zod";
import { fillText, type Words } from "../fill";
import { quoteCommand } from "../quote";
import { common, timeout } from "./step";

export const scriptStep = z.strictObject({
  type: z.literal("script"),
  ...common,
  /** Taken as it is: arguments are given to it, never put into it. */
  text: z
    .string()
    .min(1, "Write the script.")
    .max(16_384, "At most 16 KiB.")
    .refine((text) => text.startsWith("#!/"), "The first line says what runs it, as in #!/bin/sh.")
    .meta({ title: "Script", lines: true }),
  args: z.array(z.string().max(500)).max(20).default([]).meta({ title: "Arguments" }),
  as: z
    .string()
    .regex(/^[a-z_][a-z0-9_-]{0,31}$/, "A user has small letters, digits, - and _.")
    .optional()
    .meta({ title: "As user" }),
  accept: z.array(z.number().int().min(0).max(255)).min(1).default([0]).meta({ title: "Exit codes that are well" }),
  timeoutSeconds: timeout(120),
});
export type ScriptStep = z.infer<typeof scriptStep>;

/** The command line that runs an uploaded script. */
export const scriptLine = (path: string, step: ScriptStep, words: Words): string =>
  quoteCommand([
    ...(step.as === undefined ? [] : ["sudo", "-n", "-u", step.as, "--"]),
    path,
    ...step.args.map((one) => fillText(one, words)),
  ]);

/** A script that is uploaded, checked by its hash, run and removed. */
export const script = {
  type: "script",
  label: "Script",
  about: "Uploads a file over SFTP, checks its hash there, runs it and removes it.",
  acts: true,
  texts: (step: ScriptStep) => step.args,
  words: (step: ScriptStep, words: Words) =>
    `${scriptLine("script", step, words)} (${step.text.split("\n").length} lines)`,
};
