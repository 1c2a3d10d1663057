import { z } from "zod";
import { INSTALLATION, ROLE_IDS, roleOf } from "#core/people/rights";
import { hashPassword, checkNewPassword, passwordFits } from "../people/passwords";
import { PersonError, type Db } from "../store/database";
import {
  accountById,
  closeAccount,
  countAdministrators,
  endInvitations,
  endSession,
  endSessionsOf,
  passwordOf,
  sessionById,
  setPassword,
  setRole,
  type Account,
} from "../store/people";
import { command } from "./command";

const id = z.number().int().min(1);
const role = z.enum(ROLE_IDS);

function mustExist(db: Db, accountId: number): Account {
  const account = accountById(db, accountId);
  if (!account) throw new PersonError("That account does not exist.");
  return account;
}

/** Without an administrator nobody could let anybody in again. */
function mustLeaveOne(db: Db, account: Account): void {
  if (account.role === "administrator" && account.closedAt === null && countAdministrators(db) === 1)
    throw new PersonError(`${account.name} is the only administrator. Make somebody else one first.`);
}

const nameOf = (db: Db, accountId: number) => accountById(db, accountId)?.name ?? `account ${accountId}`;
/** What of an account goes on the audit record. */
const shown = (db: Db, accountId: number) => {
  const account = accountById(db, accountId);
  return account && { name: account.name, role: account.role, closed: account.closedAt !== null };
};

/** Accounts, invitations, sessions and passwords. */
export const peopleCommands = {
  /** Answers with the code of a link that makes an account, once. */
  "account.invite": command({
    right: "administer",
    about: () => INSTALLATION,
    input: z.strictObject({
      role,
      name: z.string().trim().max(60, "A name has at most 60 characters.").default(""),
    }),
    run: ({ people }, input, who) => people.invite({ ...input, accountId: null }, who.name),
    record: (input) => `Invited ${input.name || "somebody"} as ${roleOf(input.role).label.toLowerCase()}`,
  }),
  /** Answers with the code of a link with which the owner chooses a new password, once. */
  "account.reset": command({
    right: "administer",
    about: (input) => ({ type: "account", id: input.id }),
    input: z.strictObject({ id }),
    run: ({ db, people }, input, who) => {
      const account = mustExist(db, input.id);
      if (account.isDemo) throw new PersonError(`${account.name} is made up and has no password.`);
      return people.invite({ role: account.role, accountId: account.id, name: account.name }, who.name);
    },
    record: (input, _code, { db }) => `Made a link for a new password of ${nameOf(db, input.id)}`,
  }),
  "account.withdraw": command({
    right: "administer",
    about: (input) => ({ type: "invitation", id: input.id }),
    input: z.strictObject({ id }),
    run: ({ db }, input) => endInvitations(db, { id: input.id }, Date.now()),
    record: (input) => `Withdrew invitation ${input.id}`,
  }),
  "account.role": command({
    right: "administer",
    about: (input) => ({ type: "account", id: input.id }),
    state: ({ db }, input) => shown(db, input.id),
    input: z.strictObject({ id, role }),
    run: ({ db, people }, input) => {
      const account = mustExist(db, input.id);
      if (input.role !== "administrator") mustLeaveOne(db, account);
      setRole(db, account.id, input.role);
      people.changed();
    },
    record: (input, _nothing, { db }) => `Made ${nameOf(db, input.id)} ${roleOf(input.role).label.toLowerCase()}`,
  }),
  "account.close": command({
    right: "administer",
    about: (input) => ({ type: "account", id: input.id }),
    state: ({ db }, input) => shown(db, input.id),
    input: z.strictObject({ id }),
    run: ({ db, now, people }, input) => {
      const account = mustExist(db, input.id);
      mustLeaveOne(db, account);
      db.transaction(() => {
        closeAccount(db, account.id, now());
        endSessionsOf(db, account.id, Date.now());
        endInvitations(db, { accountId: account.id }, Date.now());
      })();
      people.changed();
    },
    record: (input, _nothing, { db }) => `Closed the account of ${nameOf(db, input.id)}`,
  }),
  "account.reopen": command({
    right: "administer",
    about: (input) => ({ type: "account", id: input.id }),
    state: ({ db }, input) => shown(db, input.id),
    input: z.strictObject({ id }),
    run: ({ db, people }, input) => {
      closeAccount(db, mustExist(db, input.id).id, null);
      people.changed();
    },
    record: (input, _nothing, { db }) => `Opened the account of ${nameOf(db, input.id)} again`,
  }),
  "password.change": command({
    right: "read",
    about: () => INSTALLATION,
    input: z.strictObject({ now: z.string().max(1024), password: z.string().max(1024) }),
    run: async ({ db, now, people }, input, who) => {
      const account = who.accountId === null ? undefined : accountById(db, who.accountId);
      if (!account || account.isDemo) throw new PersonError("There is no password to change here.");
      if (!(await passwordFits(passwordOf(db, account.id), input.now)))
        throw new PersonError("The present password is wrong.", { now: "The present password is wrong." });
      checkNewPassword(input.password, [account.name, ...account.name.split(/\s+/), account.signIn]);
      const hash = await hashPassword(input.password);
      db.transaction(() => {
        setPassword(db, account.id, hash, now());
        // Whoever knew the old one is out.
        endSessionsOf(db, account.id, Date.now(), who.sessionId ?? 0);
      })();
      people.changed();
    },
    record: () => "Changed their own password",
  }),
  /** One's own sessions anybody may end, those of others an administrator. */
  "session.end": command({
    right: (input, who, { db }) =>
      sessionById(db, input.id)?.accountId === who.accountId && who.accountId !== null ? "read" : "administer",
    about: (input) => ({ type: "session", id: input.id }),
    input: z.strictObject({ id }),
    run: ({ db, people }, input) => {
      const session = sessionById(db, input.id);
      if (!session) throw new PersonError("That session has ended already.");
      endSession(db, session.id, Date.now());
      people.changed();
      return nameOf(db, session.accountId);
    },
    record: (input, name) => `Ended ${name === undefined ? `session ${input.id}` : `a session of ${name}`}`,
  }),
};
