import type { RoleId } from "#core/people/rights";
import { prepared, type Db } from "./database";

export interface Account {
  id: number;
  name: string;
  signIn: string;
  role: RoleId;
  remark: string;
  isDemo: boolean;
  madeAt: number;
  madeBy: string;
  closedAt: number | null;
}

interface AccountRow {
  id: number;
  name: string;
  sign_in: string;
  role: RoleId;
  remark: string;
  is_demo: number;
  made_at: number;
  made_by: string;
  closed_at: number | null;
}

const ACCOUNT = "SELECT id, name, sign_in, role, remark, is_demo, made_at, made_by, closed_at FROM account";

const toAccount = (row: AccountRow): Account => ({
  id: row.id,
  name: row.name,
  signIn: row.sign_in,
  role: row.role,
  remark: row.remark,
  isDemo: row.is_demo === 1,
  madeAt: row.made_at,
  madeBy: row.made_by,
  closedAt: row.closed_at,
});

const oneAccount = (row: AccountRow | undefined) => (row ? toAccount(row) : undefined);

export const listAccounts = (db: Db): Account[] =>
  prepared<AccountRow>(db, `${ACCOUNT} ORDER BY closed_at IS NOT NULL, name`).all().map(toAccount);

export const accountById = (db: Db, id: number) =>
  oneAccount(prepared<AccountRow>(db, `${ACCOUNT} WHERE id = ?`).get(id));

/** By the name that is typed in to sign in. */
export const accountBySignIn = (db: Db, signIn: string) =>
  oneAccount(prepared<AccountRow>(db, `${ACCOUNT} WHERE sign_in = ?`).get(signIn));

export const accountByName = (db: Db, name: string) =>
  oneAccount(prepared<AccountRow>(db, `${ACCOUNT} WHERE name = ?`).get(name));

export function insertAccount(
  db: Db,
  account: Pick<Account, "name" | "signIn" | "role" | "madeBy"> & { remark?: string; isDemo?: boolean },
  atMs: number,
): number {
  return Number(
    prepared(
      db,
      "INSERT INTO account (name, sign_in, role, remark, is_demo, made_at, made_by) VALUES (?, ?, ?, ?, ?, ?, ?)",
    ).run(
      account.name,
      account.signIn,
      account.role,
      account.remark ?? "",
      account.isDemo ? 1 : 0,
      atMs,
      account.madeBy,
    ).lastInsertRowid,
  );
}

export function setRole(db: Db, id: number, role: RoleId): void {
  prepared(db, "UPDATE account SET role = ? WHERE id = ?").run(role, id);
}

/** @param atMs NULL opens the account again */
export function closeAccount(db: Db, id: number, atMs: number | null): void {
  prepared(db, "UPDATE account SET closed_at = ? WHERE id = ?").run(atMs, id);
}

/** Administrators who can sign in. */
export const countAdministrators = (db: Db): number =>
  prepared<{ count: number }>(
    db,
    "SELECT count(*) AS count FROM account WHERE role = 'administrator' AND closed_at IS NULL",
  ).get()?.count ?? 0;

export const passwordOf = (db: Db, accountId: number): string | undefined =>
  prepared<{ hash: string }>(db, "SELECT hash FROM password WHERE account_id = ?").get(accountId)?.hash;

export function setPassword(db: Db, accountId: number, hash: string, atMs: number): void {
  prepared(
    db,
    `INSERT INTO password (account_id, hash, set_at) VALUES (?, ?, ?)
     ON CONFLICT (account_id) DO UPDATE SET hash = excluded.hash, set_at = excluded.set_at`,
  ).run(accountId, hash, atMs);
}

// --- invitations

export interface Invitation {
  id: number;
  role: RoleId;
  accountId: number | null;
  name: string;
  madeBy: string;
  endsAt: number;
}

export function insertInvitation(db: Db, hash: Uint8Array, given: Omit<Invitation, "id"> & { madeAt: number }): number {
  return Number(
    prepared(
      db,
      "INSERT INTO invitation (hash, role, account_id, name, made_by, made_at, ends_at) VALUES (?, ?, ?, ?, ?, ?, ?)",
    ).run(hash, given.role, given.accountId, given.name, given.madeBy, given.madeAt, given.endsAt).lastInsertRowid,
  );
}

const INVITATION = `SELECT id, role, account_id AS accountId, name, made_by AS madeBy, ends_at AS endsAt FROM invitation
   WHERE used_at IS NULL AND ends_at > ?`;

/** An invitation that can still be used. */
export const openInvitation = (db: Db, hash: Uint8Array, nowMs: number): Invitation | undefined =>
  prepared<Invitation>(db, `${INVITATION} AND hash = ?`).get(nowMs, hash);

export const openInvitations = (db: Db, nowMs: number): Invitation[] =>
  prepared<Invitation>(db, `${INVITATION} ORDER BY id`).all(nowMs);

export function useInvitation(db: Db, id: number, nowMs: number): void {
  prepared(db, "UPDATE invitation SET used_at = ? WHERE id = ?").run(nowMs, id);
}

/** Ends what somebody was invited to before: one link at a time. */
export function endInvitations(
  db: Db,
  of: { accountId: number } | { id: number } | { madeBy: string },
  nowMs: number,
): void {
  const [column, value] =
    "accountId" in of ? ["account_id", of.accountId] : "id" in of ? ["id", of.id] : ["made_by", of.madeBy];
  prepared(db, `UPDATE invitation SET ends_at = ? WHERE ${column} = ? AND used_at IS NULL AND ends_at > ?`).run(
    nowMs,
    value,
    nowMs,
  );
}

// --- sessions

export interface Session {
  id: number;
  accountId: number;
  way: string;
  address: string;
  browser: string;
  beganAt: number;
  seenAt: number;
}

const SESSION = `SELECT id, account_id AS accountId, way, address, browser, began_at AS beganAt, seen_at AS seenAt
   FROM session WHERE ended_at IS NULL`;

export function insertSession(db: Db, hash: Uint8Array, session: Omit<Session, "id" | "seenAt">): number {
  return Number(
    prepared(
      db,
      `INSERT INTO session (account_id, hash, way, address, browser, began_at, seen_at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
    ).run(
      session.accountId,
      hash,
      session.way,
      session.address,
      session.browser.slice(0, 200),
      session.beganAt,
      session.beganAt,
    ).lastInsertRowid,
  );
}

/** Sessions that nobody ended; idle ones among them. */
export const openSessions = (db: Db): Session[] => prepared<Session>(db, `${SESSION} ORDER BY seen_at DESC`).all();

export const sessionsOf = (db: Db, accountId: number): Session[] =>
  prepared<Session>(db, `${SESSION} AND account_id = ? ORDER BY seen_at DESC`).all(accountId);

export const sessionById = (db: Db, id: number): Session | undefined =>
  prepared<Session>(db, `${SESSION} AND id = ?`).get(id);

export const sessionHashes = (db: Db): { id: number; hash: Buffer }[] =>
  prepared<{ id: number; hash: Buffer }>(db, "SELECT id, hash FROM session WHERE ended_at IS NULL").all();

export function touchSession(db: Db, id: number, seenAt: number): void {
  prepared(db, "UPDATE session SET seen_at = max(seen_at, ?) WHERE id = ? AND ended_at IS NULL").run(seenAt, id);
}

export function endSession(db: Db, id: number, nowMs: number): void {
  prepared(db, "UPDATE session SET ended_at = ? WHERE id = ? AND ended_at IS NULL").run(nowMs, id);
}

export function endSessionsOf(db: Db, accountId: number, nowMs: number, except = 0): void {
  prepared(db, "UPDATE session SET ended_at = ? WHERE account_id = ? AND ended_at IS NULL AND id <> ?").run(
    nowMs,
    accountId,
    except,
  );
}

/** Ends what was idle too long or began too long ago, and forgets what ended before `forgetMs`. */
export function tidySessions(
  db: Db,
  idleSince: number,
  beganBefore: number,
  forgetBefore: number,
  nowMs: number,
): void {
  prepared(db, "UPDATE session SET ended_at = ? WHERE ended_at IS NULL AND (seen_at < ? OR began_at < ?)").run(
    nowMs,
    idleSince,
    beganBefore,
  );
  prepared(db, "DELETE FROM session WHERE ended_at < ?").run(forgetBefore);
  prepared(db, "DELETE FROM invitation WHERE ends_at < ?").run(forgetBefore);
}
