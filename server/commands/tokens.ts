import { z } from "zod";
import { INSTALLATION } from "#core/people/rights";
import { scopeInWords, tokenScope } from "#core/people/tokens";
import { DAY_MS } from "#core/time/windows";
import { makeCode } from "../people/codes";
import { PersonError } from "../store/database";
import { endEnrolment, insertEnrolment, insertToken, revokeToken, tokenById } from "../store/tokens";
import { command } from "./command";

const id = z.number().int().min(1);

/** Tokens of programs, and codes with which agents fetch theirs. */
export const tokenCommands = {
  /** Answers with the token: it is shown this once. */
  "token.create": command({
    right: "administer",
    input: z.strictObject({
      name: z.string().trim().min(2, "Give the token a name: the program that will use it.").max(80),
      scope: tokenScope,
      /** Days until it ends; NULL for never. */
      days: z.number().int().min(1).max(3650).nullable(),
    }),
    run: ({ db, people }, { name, scope, days }, who) => {
      if (scope.kind === "agent")
        throw new PersonError("Agents fetch their tokens themselves, with an enrolment code.");
      const { code, hash } = makeCode("token");
      const madeAt = Date.now();
      const endsAt = days === null ? null : madeAt + days * DAY_MS;
      const made = insertToken(db, hash, { name, scope, madeBy: who.name, madeAt, endsAt });
      people.changed();
      return { id: made, code };
    },
    about: (_input, made) => (made === undefined ? INSTALLATION : { type: "token", id: made.id }),
    record: (input) =>
      `Made token “${input.name}” to ${scopeInWords(input.scope)}, ${input.days === null ? "without an end" : `for ${input.days} days`}`,
  }),
  "token.revoke": command({
    right: "administer",
    about: (input) => ({ type: "token", id: input.id }),
    input: z.strictObject({ id }),
    run: ({ db, people }, input) => {
      const token = tokenById(db, input.id);
      if (!token) throw new PersonError("That token does not exist.");
      revokeToken(db, input.id, Date.now());
      people.changed();
      return token.name;
    },
    record: (input, name) => `Revoked token ${name === undefined ? input.id : `“${name}”`}`,
  }),
  /** Answers with a code that agents can use; it is shown this once. */
  "enrolment.create": command({
    right: "administer",
    about: () => INSTALLATION,
    input: z.strictObject({
      hosts: z
        .number()
        .int("Whole hosts, please.")
        .min(1, "For one host at least.")
        .max(5_000, "For 5,000 hosts at most."),
      days: z.number().int().min(1).max(30),
    }),
    run: ({ db }, { hosts, days }, who) => {
      const { code, hash } = makeCode("enrol");
      const madeAt = Date.now();
      insertEnrolment(db, hash, { madeBy: who.name, madeAt, endsAt: madeAt + days * DAY_MS, remaining: hosts });
      return code;
    },
    record: ({ hosts, days }) =>
      `Made an enrolment code for ${hosts === 1 ? "one agent" : `${hosts} agents`}, good for ${days === 1 ? "a day" : `${days} days`}`,
  }),
  "enrolment.end": command({
    right: "administer",
    about: (input) => ({ type: "enrolment", id: input.id }),
    input: z.strictObject({ id }),
    run: ({ db }, input) => endEnrolment(db, input.id),
    record: (input) => `Ended enrolment code ${input.id}`,
  }),
};
