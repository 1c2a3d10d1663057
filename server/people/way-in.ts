import type { z } from "zod";
import type { Db } from "../store/database";
import type { Account } from "../store/people";

/**
 * A way of signing in: a file in `ways/` and a line in the register. A second factor or another identity provider is one
 * more.
 */
export interface WayIn<Input> {
  id: string;
  /** Whether this installation has it. */
  isOffered(of: { isDemo: boolean }): boolean;
  /** What its form sends. */
  input: z.ZodType<Input>;
  /** What tries are counted for, besides the address they come from. */
  account(input: Input): string;
  /** Whose account it is, or why not, as a sentence that does not say which accounts there are. */
  prove(db: Db, input: Input): Promise<Account | string>;
}

/** Types a way by its schema. */
export const wayIn = <Input>(way: WayIn<Input>): WayIn<Input> => way;
