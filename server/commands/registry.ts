import { insertAudit } from "../store/audit";
import { PersonError } from "../store/database";
import type { Command, Principal, Right } from "./command";
import { incidentCommands } from "./incidents";
import { ingestCommands } from "./ingest";
import type { CommandPorts } from "./ports";
import { runCommands } from "./runs";
import { settingCommands } from "./settings";
import { sourceCommands } from "./sources";

/** Everything that a person can have done, by its name. */
export const commands = {
  ...sourceCommands,
  ...incidentCommands,
  ...runCommands,
  ...ingestCommands,
  ...settingCommands,
} as const;

export type CommandName = keyof typeof commands;
export type CommandInput<Name extends CommandName> =
  (typeof commands)[Name] extends Command<infer Input, infer _Output> ? Input : never;
export type CommandOutput<Name extends CommandName> =
  (typeof commands)[Name] extends Command<infer _Input, infer Output> ? Awaited<Output> : never;

const RIGHT_IN_WORDS: Readonly<Record<Right, string>> = {
  operate: "to work on incidents",
  repair: "to run runbooks",
  configure: "to change how the estate is watched",
};

/**
 * The one way by which a person changes anything: checks the right and the input, has it done, and puts it on the audit
 * record with who did it, whether it was done or refused. Throws a PersonError where it was refused.
 */
export async function execute<Name extends CommandName>(
  ports: CommandPorts,
  who: Principal,
  name: Name,
  given: unknown,
): Promise<CommandOutput<Name>> {
  const chosen = Object.hasOwn(commands, name) ? (commands[name] as Command<unknown, unknown>) : undefined;
  if (!chosen) throw new PersonError("There is no such command.");
  const record = (summary: string, outcome: "done" | "refused", reason: string | null) =>
    insertAudit(ports.db, { atMs: ports.now(), who: who.name, via: who.via, command: name, summary, outcome, reason });
  const refused = (error: PersonError, summary: string) => {
    record(summary, "refused", error.message);
    return error;
  };
  if (!who.rights.includes(chosen.right))
    throw refused(new PersonError(`${who.name} does not have the right ${RIGHT_IN_WORDS[chosen.right]}.`), name);
  const parsed = chosen.input.safeParse(given);
  if (!parsed.success) {
    const fields = Object.fromEntries(parsed.error.issues.map((issue) => [issue.path.join("."), issue.message]));
    throw refused(new PersonError(Object.values(fields)[0] ?? "Something is missing.", fields), name);
  }
  try {
    const output = await chosen.run(ports, parsed.data, who);
    record(chosen.record(parsed.data, output, ports), "done", null);
    return output as CommandOutput<Name>;
  } catch (error) {
    if (error instanceof PersonError) refused(error, chosen.record(parsed.data, undefined, ports));
    throw error;
  }
}
