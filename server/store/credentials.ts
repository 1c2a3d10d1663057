import { prepared, type Db } from "./database";

export interface CredentialRow {
  id: number;
  name: string;
  kind: string;
  /** Fields that are no secret. */
  about: Readonly<Record<string, string>>;
  destinations: string;
  madeBy: string;
  createdAt: number;
  /** Made with a source. */
  isOwn: boolean;
  usedAt: number | null;
  usedFor: string | null;
  failedAt: number | null;
  failure: string | null;
}

type Row = Omit<CredentialRow, "about" | "isOwn"> & { about: string; is_own: number };

const CREDENTIAL = `SELECT id, name, kind, about, destinations, made_by AS madeBy, created_at AS createdAt, is_own,
   used_at AS usedAt, used_for AS usedFor, failed_at AS failedAt, failure FROM credential`;

const toCredential = ({ is_own, about, ...row }: Row): CredentialRow => ({
  ...row,
  about: JSON.parse(about) as Record<string, string>,
  isOwn: is_own === 1,
});

export const listCredentials = (db: Db): CredentialRow[] =>
  prepared<Row>(db, `${CREDENTIAL} ORDER BY name`).all().map(toCredential);

export function credentialById(db: Db, id: number): CredentialRow | undefined {
  const row = prepared<Row>(db, `${CREDENTIAL} WHERE id = ?`).get(id);
  return row && toCredential(row);
}

export const credentialNamed = (db: Db, name: string): CredentialRow | undefined =>
  listCredentials(db).find((one) => one.name === name);

export const sealedOf = (db: Db, id: number): string | undefined =>
  prepared<{ sealed: string }>(db, "SELECT sealed FROM credential WHERE id = ?").get(id)?.sealed;

export const allSealed = (db: Db): { id: number; sealed: string; kind: string }[] =>
  prepared<{ id: number; sealed: string; kind: string }>(db, "SELECT id, sealed, kind FROM credential").all();

export function reseal(db: Db, id: number, sealed: string): void {
  prepared(db, "UPDATE credential SET sealed = ? WHERE id = ?").run(sealed, id);
}

export interface NewCredential {
  name: string;
  kind: string;
  about: Readonly<Record<string, string>>;
  destinations: string;
  sealed: string;
  madeBy: string;
  isOwn: boolean;
}

export function insertCredential(db: Db, given: NewCredential, atMs: number): number {
  return Number(
    prepared(
      db,
      `INSERT INTO credential (name, kind, about, destinations, sealed, made_by, is_own, created_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
    ).run(
      given.name,
      given.kind,
      JSON.stringify(given.about),
      given.destinations,
      given.sealed,
      given.madeBy,
      given.isOwn ? 1 : 0,
      atMs,
    ).lastInsertRowid,
  );
}

/** @param sealed undefined leaves the secret as it is */
export function updateCredential(
  db: Db,
  id: number,
  given: Pick<NewCredential, "name" | "about" | "destinations"> & { sealed?: string | undefined },
): void {
  prepared(db, "UPDATE credential SET name = ?, about = ?, destinations = ? WHERE id = ?").run(
    given.name,
    JSON.stringify(given.about),
    given.destinations,
    id,
  );
  if (given.sealed !== undefined) reseal(db, id, given.sealed);
}

export function removeCredential(db: Db, id: number): void {
  prepared(db, "DELETE FROM credential WHERE id = ?").run(id);
}

/** Takes down how using it went; a success clears the failure before it. */
export function noteUse(db: Db, id: number, purpose: string, atMs: number, failure: string | null): void {
  if (failure === null)
    prepared(db, "UPDATE credential SET used_at = ?, used_for = ?, failed_at = NULL, failure = NULL WHERE id = ?").run(
      atMs,
      purpose.slice(0, 120),
      id,
    );
  else
    prepared(db, "UPDATE credential SET failed_at = ?, failure = ? WHERE id = ?").run(atMs, failure.slice(0, 300), id);
}

/** Credentials of a source in the order it uses them, its own first. */
export const credentialsOfSource = (db: Db, sourceId: number): CredentialRow[] =>
  prepared<Row>(
    db,
    `${CREDENTIAL} WHERE id = (SELECT credential_id FROM source WHERE id = ?1) OR id IN
       (SELECT credential_id FROM source_credential WHERE source_id = ?1)
     ORDER BY coalesce((SELECT position FROM source_credential p WHERE p.source_id = ?1 AND p.credential_id = credential.id), -1)`,
  )
    .all({ 1: sourceId })
    .map(toCredential);

/** Sets which credentials a source may use besides its own, in their order. */
export function setSourceCredentials(db: Db, sourceId: number, ids: readonly number[]): void {
  prepared(db, "DELETE FROM source_credential WHERE source_id = ?").run(sourceId);
  ids.forEach((id, position) =>
    prepared(db, "INSERT OR IGNORE INTO source_credential (source_id, credential_id, position) VALUES (?, ?, ?)").run(
      sourceId,
      id,
      position,
    ),
  );
}

/** Names of sources that use each credential. */
export function sourcesOfCredentials(db: Db): Map<number, string[]> {
  const rows = prepared<{ id: number; name: string }>(
    db,
    `SELECT credential_id AS id, name FROM source WHERE credential_id IS NOT NULL
     UNION ALL SELECT p.credential_id AS id, s.name FROM source_credential p JOIN source s ON s.id = p.source_id ORDER BY 2`,
  ).all();
  const named = new Map<number, string[]>();
  for (const { id, name } of rows) named.set(id, [...(named.get(id) ?? []), name]);
  return named;
}

// --- keys of the vault

export const vaultKeys = (db: Db): { id: number; master: string; wrapped: string }[] =>
  prepared<{ id: number; master: string; wrapped: string }>(
    db,
    "SELECT id, master, wrapped FROM vault_key ORDER BY id",
  ).all();

export function insertVaultKey(db: Db, id: number, master: string, wrapped: string, atMs: number): void {
  prepared(db, "INSERT OR REPLACE INTO vault_key (id, master, wrapped, made_at) VALUES (?, ?, ?, ?)").run(
    id,
    master,
    wrapped,
    atMs,
  );
}

/** Forgets how keys were wrapped by other master keys. */
export function forgetOtherMasters(db: Db, master: string): void {
  prepared(db, "DELETE FROM vault_key WHERE master <> ?").run(master);
}
