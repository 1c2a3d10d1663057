import { hash, verify } from "@node-rs/argon2";
import { dictionary } from "@zxcvbn-ts/language-common";
import { normalPassword, passwordProblem } from "#core/people/passwords";
import { PersonError } from "../store/database";

/** argon2id (2) with 64 MiB, three passes, four lanes: the second choice of RFC 9106, section 4. */
const COST = { algorithm: 2, memoryCost: 65_536, timeCost: 3, parallelism: 4 } as const;
/** Hashes under way at once, and those that wait: more would be a way to keep the machine busy. */
const AT_ONCE = 2;
const MOST_WAITING = 20;

let under = 0;
const waiting: (() => void)[] = [];

async function inTurn<T>(work: () => Promise<T>): Promise<T> {
  if (under >= AT_ONCE) {
    if (waiting.length >= MOST_WAITING)
      throw new PersonError("Too many people are signing in at this moment. Try again in a few seconds.");
    await new Promise<void>((resolve) => waiting.push(resolve));
  } else under++;
  try {
    return await work();
  } finally {
    const next = waiting.shift();
    if (next) next();
    else under--;
  }
}

export const hashPassword = (given: string): Promise<string> => inTurn(() => hash(normalPassword(given), COST));

/** What is compared where there is no such account, so that the time it takes says nothing. */
let nobody: Promise<string> | undefined;

/** @param kept the hash; undefined where there is no account or it has no password */
export async function passwordFits(kept: string | undefined, given: string): Promise<boolean> {
  const known = kept ?? (await (nobody ??= hashPassword("nobody has this password")));
  const fits = await inTurn(() => verify(known, normalPassword(given)));
  return kept !== undefined && fits;
}

let common: Set<string> | undefined;

/** Throws a PersonError with a sentence where a password must not be used. */
export function checkNewPassword(given: string, context: readonly string[]): void {
  common ??= new Set(dictionary["passwords-common"] as string[]);
  const problem = passwordProblem(given, (text) => (common as Set<string>).has(text), [...context, "holotaxis"]);
  if (problem) throw new PersonError(problem, { password: problem });
}
