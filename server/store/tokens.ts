import { tokenScope, type TokenScope } from "#core/people/tokens";
import { prepared, type Db } from "./database";

export interface Token {
  id: number;
  name: string;
  scope: TokenScope;
  madeBy: string;
  madeAt: number;
  endsAt: number | null;
  revokedAt: number | null;
  usedAt: number | null;
  usedFrom: string | null;
}

type TokenRow = Omit<Token, "scope"> & { scope: string };

const TOKEN = `SELECT id, name, scope, made_by AS madeBy, made_at AS madeAt, ends_at AS endsAt, revoked_at AS revokedAt,
   used_at AS usedAt, used_from AS usedFrom FROM token`;
const OPEN = "revoked_at IS NULL AND (ends_at IS NULL OR ends_at > ?)";

const toToken = (row: TokenRow): Token => ({ ...row, scope: tokenScope.parse(JSON.parse(row.scope)) });

export function insertToken(
  db: Db,
  hash: Uint8Array,
  token: Pick<Token, "name" | "scope" | "madeBy" | "madeAt" | "endsAt">,
): number {
  return Number(
    prepared(db, "INSERT INTO token (name, hash, scope, made_by, made_at, ends_at) VALUES (?, ?, ?, ?, ?, ?)").run(
      token.name,
      hash,
      JSON.stringify(token.scope),
      token.madeBy,
      token.madeAt,
      token.endsAt,
    ).lastInsertRowid,
  );
}

/** Every token, those that can be used first; of agents and of others. */
export const listTokens = (db: Db): Token[] =>
  prepared<TokenRow>(db, `${TOKEN} ORDER BY revoked_at IS NOT NULL, name`).all().map(toToken);

export const tokenById = (db: Db, id: number): Token | undefined => {
  const row = prepared<TokenRow>(db, `${TOKEN} WHERE id = ?`).get(id);
  return row ? toToken(row) : undefined;
};

/** A token that can be used, by the hash of its text. */
export function openToken(db: Db, hash: Uint8Array, nowMs: number): Token | undefined {
  const row = prepared<TokenRow>(db, `${TOKEN} WHERE hash = ? AND ${OPEN}`).get(hash, nowMs);
  return row ? toToken(row) : undefined;
}

/** Tokens with which signals may be sent, with their hashes. */
export function sendingTokens(
  db: Db,
  nowMs: number,
): { id: number; hash: Buffer; scope: TokenScope; endsAt: number | null }[] {
  return prepared<{ id: number; hash: Buffer; scope: string; endsAt: number | null }>(
    db,
    `SELECT id, hash, scope, ends_at AS endsAt FROM token WHERE ${OPEN} AND scope ->> 'kind' IN ('send', 'agent')`,
  )
    .all(nowMs)
    .map((row) => ({ ...row, scope: tokenScope.parse(JSON.parse(row.scope)) }));
}

export function revokeToken(db: Db, id: number, nowMs: number): void {
  prepared(db, "UPDATE token SET revoked_at = ? WHERE id = ? AND revoked_at IS NULL").run(nowMs, id);
}

/** Ends the tokens a host's agent had before: it enrols with one at a time. */
export function revokeAgentTokens(db: Db, hostId: string, hostName: string, nowMs: number): void {
  const [field, value] = hostId === "" ? ["hostName", hostName] : ["hostId", hostId];
  prepared(
    db,
    `UPDATE token SET revoked_at = ? WHERE revoked_at IS NULL AND scope ->> 'kind' = 'agent' AND scope ->> '${field}' = ?`,
  ).run(nowMs, value);
}

export function touchToken(db: Db, id: number, atMs: number, from: string): void {
  prepared(db, "UPDATE token SET used_at = max(ifnull(used_at, 0), ?), used_from = ? WHERE id = ?").run(atMs, from, id);
}

// --- codes with which agents enrol

export interface Enrolment {
  id: number;
  madeBy: string;
  endsAt: number;
  remaining: number;
}

const ENROLMENT = `SELECT id, made_by AS madeBy, ends_at AS endsAt, remaining FROM enrolment
   WHERE remaining > 0 AND ends_at > ?`;

export function insertEnrolment(
  db: Db,
  hash: Uint8Array,
  given: { madeBy: string; madeAt: number; endsAt: number; remaining: number },
): number {
  return Number(
    prepared(db, "INSERT INTO enrolment (hash, made_by, made_at, ends_at, remaining) VALUES (?, ?, ?, ?, ?)").run(
      hash,
      given.madeBy,
      given.madeAt,
      given.endsAt,
      given.remaining,
    ).lastInsertRowid,
  );
}

export const openEnrolments = (db: Db, nowMs: number): Enrolment[] =>
  prepared<Enrolment>(db, `${ENROLMENT} ORDER BY id`).all(nowMs);

export const openEnrolment = (db: Db, hash: Uint8Array, nowMs: number): Enrolment | undefined =>
  prepared<Enrolment>(db, `${ENROLMENT} AND hash = ?`).get(nowMs, hash);

export const knowsEnrolment = (db: Db, hash: Uint8Array): boolean =>
  prepared(db, "SELECT 1 FROM enrolment WHERE hash = ?").get(hash) !== undefined;

export function spendEnrolment(db: Db, id: number): void {
  prepared(db, "UPDATE enrolment SET remaining = remaining - 1 WHERE id = ?").run(id);
}

export function endEnrolment(db: Db, id: number): void {
  prepared(db, "UPDATE enrolment SET remaining = 0 WHERE id = ?").run(id);
}
