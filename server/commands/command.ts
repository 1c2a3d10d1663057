import type { z } from "zod";
import type { CommandPorts } from "./ports";

/**
 * What a person may be trusted with: work on incidents and evidence (`operate`), start what reaches out to the estate
 * (`repair`), change how it is watched (`configure`).
 */
export const RIGHTS = ["operate", "repair", "configure"] as const;
export type Right = (typeof RIGHTS)[number];

/** Who asks for something to be done, by which way they came in, and what they may do. */
export interface Principal {
  name: string;
  via: "browser" | "set-up" | "test";
  rights: readonly Right[];
}

/** Something that a person can have done. Every write of a person is one of these. */
export interface Command<Input, Output> {
  right: Right;
  /** What goes in, checked before anything is done. */
  input: z.ZodType<Input>;
  /** Throws a PersonError with a sentence where it cannot be done. */
  run(ports: CommandPorts, input: Input, who: Principal): Output | Promise<Output>;
  /** The line on the audit record: what was done, to what. */
  record(input: Input, output: Awaited<Output> | undefined, ports: CommandPorts): string;
}

/** Types a command by its schema. */
export const command = <Input, Output>(definition: Command<Input, Output>): Command<Input, Output> => definition;
