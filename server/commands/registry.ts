import { INSTALLATION, whyNot, type About, type Right } from "#core/people/rights";
import type { Principal } from "../people/principal";
import { insertAudit } from "../store/audit";
import { PersonError } from "../store/database";
import { aboutText, type Command } from "./command";
import { choreCommands } from "./chores";
import { credentialCommands } from "./credentials";
import { drillCommands } from "./drills";
import { identityCommands } from "./identity";
import { incidentCommands } from "./incidents";
import { ingestCommands } from "./ingest";
import { kitCommands } from "./kits";
import { labelCommands } from "./labels";
import { noteCommands } from "./notes";
import { mappingCommands } from "./mappings";
import { relationCommands } from "./relations";
import { reviewCommands } from "./review";
import { peopleCommands } from "./people";
import { onCallCommands } from "./on-call";
import type { CommandPorts } from "./ports";
import { plannedWorkCommands } from "./planned-work";
import { productCommands } from "./products";
import { policyCommands } from "./policies";
import { runbookCommands } from "./runbooks";
import { runCommands } from "./runs";
import { serviceCommands } from "./services";
import { settingCommands } from "./settings";
import { shiftCommands } from "./shifts";
import { sourceCommands } from "./sources";
import { spendCommands } from "./spend";
import { tellingCommands } from "./telling";
import { tokenCommands } from "./tokens";
import { viewCommands } from "./views";

/** Everything that a person can have done, by its name. */
export const commands = {
  ...sourceCommands,
  ...mappingCommands,
  ...incidentCommands,
  ...runCommands,
  ...runbookCommands,
  ...policyCommands,
  ...choreCommands,
  ...noteCommands,
  ...kitCommands,
  ...ingestCommands,
  ...settingCommands,
  ...serviceCommands,
  ...productCommands,
  ...labelCommands,
  ...reviewCommands,
  ...identityCommands,
  ...relationCommands,
  ...peopleCommands,
  ...tokenCommands,
  ...credentialCommands,
  ...drillCommands,
  ...spendCommands,
  ...viewCommands,
  ...tellingCommands,
  ...onCallCommands,
  ...shiftCommands,
  ...plannedWorkCommands,
} as const;

export type CommandName = keyof typeof commands;
export type CommandInput<Name extends CommandName> =
  (typeof commands)[Name] extends Command<infer Input, infer _Output> ? Input : never;
export type CommandOutput<Name extends CommandName> =
  (typeof commands)[Name] extends Command<infer _Input, infer Output> ? Awaited<Output> : never;

/**
 * The one way by which a person changes anything: checks the right and the input, has it done, and puts it on the audit
 * record with who did it from where, what it was about before and after, and whether it was done or refused. Throws a
 * PersonError where it was refused.
 */
export async function execute<Name extends CommandName>(
  ports: CommandPorts,
  who: Principal,
  name: Name,
  given: unknown,
): Promise<CommandOutput<Name>> {
  const chosen = Object.hasOwn(commands, name) ? (commands[name] as Command<unknown, unknown>) : undefined;
  if (!chosen) throw new PersonError("There is no such command.");
  const record = (
    summary: string,
    outcome: "done" | "refused",
    reason: string | null,
    more: { about?: About; before?: unknown; after?: unknown } = {},
  ) => {
    const { about = INSTALLATION, ...states } = more;
    const { name: person, via, address } = who;
    const entry = { atMs: ports.now(), who: person, via, address, command: name, subject: aboutText(about) };
    insertAudit(ports.db, { ...entry, summary, outcome, reason, ...states });
  };
  const refused = (error: PersonError, summary: string, about?: About) => {
    record(summary, "refused", error.message, about ? { about } : {});
    return error;
  };
  const mayNot = (right: Right, about: About) => {
    const reason = whyNot(who, right, about);
    if (reason !== undefined) throw refused(new PersonError(reason), name, about);
  };
  // Who may not do it at all is not told what would be wrong with what they sent.
  if (typeof chosen.right === "string") mayNot(chosen.right, INSTALLATION);
  const parsed = chosen.input.safeParse(given);
  if (!parsed.success) {
    const fields = Object.fromEntries(parsed.error.issues.map((issue) => [issue.path.join("."), issue.message]));
    throw refused(new PersonError(Object.values(fields)[0] ?? "Something is missing.", fields), name);
  }
  const input = parsed.data;
  const right = typeof chosen.right === "string" ? chosen.right : chosen.right(input, who, ports);
  mayNot(right, chosen.about(input, undefined));
  const before = chosen.state?.(ports, input, undefined);
  try {
    const output = await chosen.run(ports, input, who);
    const after = chosen.state?.(ports, input, output);
    record(chosen.record(input, output, ports), "done", null, { about: chosen.about(input, output), before, after });
    return output as CommandOutput<Name>;
  } catch (error) {
    if (error instanceof PersonError)
      refused(error, chosen.record(input, undefined, ports), chosen.about(input, undefined));
    throw error;
  }
}
