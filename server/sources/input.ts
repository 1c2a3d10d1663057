import { z } from "zod";
import { everyProblem, quietProblem } from "#core/time/schedule";
import type { SourceInput } from "../settings";
import { driverOf, sourceDrivers } from "./registry";

/** What appears is found within the hour. */
export const USUAL_SWEEP_EVERY = "60";

const common = z.looseObject({
  kind: z.string().default("range"),
  name: z
    .string("Give the source a name.")
    .trim()
    .min(1, "Give the source a name.")
    .max(60, "A name has at most 60 characters."),
  site: z
    .string("Say which site it belongs to.")
    .trim()
    .min(1, "Say which site it belongs to.")
    .max(60, "A site has at most 60 characters."),
  credential: z.string().max(4096, "A credential has at most 4,096 characters.").optional(),
  /** What a set-up file of the version before calls the credential of an address range. */
  community: z.string().max(4096).optional(),
  /** Ids of other credentials, separated by commas. */
  credentials: z
    .string()
    .regex(/^[\d, ]*$/, "Choose credentials from the list.")
    .optional(),
  /** Minutes or a rule; see the schedule. */
  sweepEvery: z
    .string()
    .trim()
    .max(200)
    .superRefine((text, context) => {
      const problem = everyProblem(text);
      if (problem) context.addIssue({ code: "custom", message: problem });
    })
    .optional(),
  quietHours: z
    .string()
    .trim()
    .max(20)
    .superRefine((text, context) => {
      const problem = quietProblem(text);
      if (problem) context.addIssue({ code: "custom", message: problem });
    })
    .optional(),
  pollSeconds: z.coerce
    .number("The poll interval is a number of seconds.")
    .int("The poll interval is whole seconds.")
    .min(5, "Poll at most every 5 seconds.")
    .max(3600, "Poll at least once an hour.")
    .optional(),
});

/**
 * Reads a source from the flat fields of a form or a set-up file: what all have, and the settings of its kind.
 * @returns the source, or a sentence for each wrong field
 */
export function readSource(
  fields: unknown,
): { ok: true; source: SourceInput } | { ok: false; fields: Record<string, string> } {
  const head = common.safeParse(fields);
  const wrong: Record<string, string> = {};
  const note = (error: z.ZodError) => {
    for (const issue of error.issues) wrong[issue.path.join(".") || "form"] ??= issue.message;
  };
  if (!head.success) note(head.error);
  const kind = head.success ? head.data.kind : String((fields as { kind?: unknown }).kind ?? "range");
  if (!sourceDrivers().some((one) => one.kind === kind))
    return { ok: false, fields: { kind: `There is no kind of source “${kind.slice(0, 40)}”. Choose another.` } };
  const driver = driverOf(kind);
  const {
    kind: _kind,
    name: _name,
    site: _site,
    credential: _credential,
    community: _community,
    credentials: _credentials,
    pollSeconds: _poll,
    sweepEvery: _every,
    quietHours: _quiet,
    ...rest
  } = fields as Record<string, unknown>;
  const settings = driver.settings.safeParse(rest);
  if (!settings.success) note(settings.error);
  if (!head.success || !settings.success) return { ok: false, fields: wrong };
  const credential = head.data.credential || head.data.community || undefined;
  return {
    ok: true,
    source: {
      kind,
      name: head.data.name,
      site: head.data.site,
      settings: settings.data,
      ...(driver.credential ? { credential } : {}),
      ...(head.data.credentials === undefined
        ? {}
        : {
            credentials: head.data.credentials
              .split(",")
              .map(Number)
              .filter((id) => id > 0),
          }),
      ...(driver.discover
        ? { sweeps: { every: head.data.sweepEvery ?? USUAL_SWEEP_EVERY, quiet: head.data.quietHours ?? "" } }
        : {}),
      ...(driver.pollSeconds === undefined ? {} : { pollSeconds: head.data.pollSeconds ?? driver.pollSeconds }),
    },
  };
}
