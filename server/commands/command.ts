import type { z } from "zod";
import type { About, Right } from "#core/people/rights";
import type { Principal } from "../people/principal";
import type { CommandPorts } from "./ports";

/** Something that a person can have done. Every write of a person is one of these. */
export interface Command<Input, Output> {
  /** What it takes; where that depends on what is asked, a function of it. */
  right: Right | ((input: Input, who: Principal, ports: CommandPorts) => Right);
  /** What goes in, checked before anything is done. */
  input: z.ZodType<Input>;
  /** What it is about: a right is asked for with it, and the audit record names it. */
  about(input: Input, output: Awaited<Output> | undefined): About;
  /** The thing as it is, for the audit record's before and after; never a secret. */
  state?(ports: CommandPorts, input: Input, output: Awaited<Output> | undefined): unknown;
  /** Throws a PersonError with a sentence where it cannot be done. */
  run(ports: CommandPorts, input: Input, who: Principal): Output | Promise<Output>;
  /** The line on the audit record: what was done, to what. */
  record(input: Input, output: Awaited<Output> | undefined, ports: CommandPorts): string;
}

/** Types a command by its schema. */
export const command = <Input, Output>(definition: Command<Input, Output>): Command<Input, Output> => definition;

export const aboutText = ({ type, id }: About): string => (id === undefined ? "" : `${type}:${id}`);
