import { ROLE_IDS } from "#core/people/rights";
import { scopeInWords } from "#core/people/tokens";
import { contactOf } from "../store/contacts";
import type { Db } from "../store/database";
import {
  accountById,
  listAccounts,
  openInvitation,
  openInvitations,
  openSessions,
  sessionsOf,
  type Session,
} from "../store/people";
import { prepared } from "../store/database";
import { listTokens, openEnrolments, openToken } from "../store/tokens";
import { IDLE_MS, LONGEST_MS } from "../people/sessions";

const isAlive = (session: Session, machineMs: number) =>
  machineMs - session.seenAt < IDLE_MS && machineMs - session.beganAt < LONGEST_MS;

/** Who has the session or token with a hash, if it can be used; for the door of the pages, never for a page. */
export function holderOf(db: Db, { hash, machineMs }: { hash: Uint8Array; machineMs: number }) {
  const session = prepared<{ id: number; accountId: number; beganAt: number; seenAt: number }>(
    db,
    `SELECT id, account_id AS accountId, began_at AS beganAt, seen_at AS seenAt FROM session
     WHERE hash = ? AND ended_at IS NULL`,
  ).get(hash);
  if (session) {
    const account = accountById(db, session.accountId);
    const { id: sessionId, beganAt, seenAt } = session;
    return account && account.closedAt === null
      ? { kind: "session" as const, sessionId, beganAt, seenAt, account }
      : null;
  }
  const token = openToken(db, hash, machineMs);
  return token ? { kind: "token" as const, token } : null;
}
export type Holding = ReturnType<typeof holderOf>;

/** What the sign-in page offers: whether anybody can sign in yet, and the people of the demonstration. */
export function signInPage(db: Db, { isDemo }: { isDemo: boolean }) {
  const accounts = listAccounts(db).filter((account) => account.closedAt === null);
  return {
    hasAccounts: accounts.length > 0,
    hasPasswords: accounts.some((account) => !account.isDemo),
    demo: isDemo
      ? accounts
          .filter((one) => one.isDemo)
          .map(({ id, name, role, remark }) => ({ id, name, role, remark }))
          .sort((a, b) => ROLE_IDS.indexOf(a.role) - ROLE_IDS.indexOf(b.role))
      : [],
  };
}

/** What an invitation is for; NULL where it cannot be used. */
export function invitationPage(db: Db, { hash, machineMs }: { hash: Uint8Array; machineMs: number }) {
  const invitation = openInvitation(db, hash, machineMs);
  if (!invitation) return null;
  const account = invitation.accountId === null ? undefined : accountById(db, invitation.accountId);
  return { role: invitation.role, name: account?.name ?? invitation.name, signIn: account?.signIn ?? null };
}

/** Everybody with an account, open invitations and sessions. */
export function peoplePage(db: Db, { machineMs }: { machineMs: number }) {
  const sessions = openSessions(db).filter((session) => isAlive(session, machineMs));
  return {
    accounts: listAccounts(db).map((account) => ({
      ...account,
      sessions: sessions.filter((session) => session.accountId === account.id),
    })),
    invitations: openInvitations(db, machineMs),
  };
}

/** A person's own sessions. */
export function accountPage(db: Db, { accountId, machineMs }: { accountId: number; machineMs: number }) {
  const account = accountById(db, accountId);
  return account
    ? {
        account,
        contact: contactOf(db, accountId),
        sessions: sessionsOf(db, accountId).filter((session) => isAlive(session, machineMs)),
      }
    : null;
}

/** Tokens of programs and agents, and codes that agents can enrol with. */
export function tokensPage(db: Db, { machineMs }: { machineMs: number }) {
  return {
    tokens: listTokens(db).map((token) => ({
      ...token,
      may: scopeInWords(token.scope),
      isOpen: token.revokedAt === null && (token.endsAt === null || token.endsAt > machineMs),
    })),
    enrolments: openEnrolments(db, machineMs),
  };
}
