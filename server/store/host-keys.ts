import { prepared, type Db } from "./database";

export interface HostKey {
  fingerprint: string;
  firstSeenAt: number;
  approvedBy: string | null;
  credentialId: number | null;
}

export const hostKeyOf = (db: Db, address: string, port: number): HostKey | undefined =>
  prepared<HostKey>(
    db,
    `SELECT fingerprint, first_seen_at AS firstSeenAt, approved_by AS approvedBy, credential_id AS credentialId
     FROM host_key WHERE address = ? AND port = ?`,
  ).get(address, port);

/** A person says that this is the host and its key, and with which credential it is signed in to. */
export function approveHostKey(
  db: Db,
  host: { address: string; port: number; fingerprint: string; credentialId: number },
  by: string,
  atMs: number,
): void {
  prepared(
    db,
    `INSERT INTO host_key (address, port, fingerprint, first_seen_at, approved_by, credential_id)
     VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT (address, port) DO UPDATE SET fingerprint = excluded.fingerprint,
       first_seen_at = excluded.first_seen_at, approved_by = excluded.approved_by, credential_id = excluded.credential_id`,
  ).run(host.address, host.port, host.fingerprint, atMs, by, host.credentialId);
}

export function forgetHostKey(db: Db, address: string, port: number): void {
  prepared(db, "DELETE FROM host_key WHERE address = ? AND port = ?").run(address, port);
}

export function trustHostKey(db: Db, address: string, port: number, fingerprint: string, atMs: number): void {
  prepared(db, "INSERT OR IGNORE INTO host_key (address, port, fingerprint, first_seen_at) VALUES (?, ?, ?, ?)").run(
    address,
    port,
    fingerprint,
    atMs,
  );
}
