import { randomBytes } from "node:crypto";
import { destinationsCover } from "#core/estate/destinations";
import { HOUR_MS } from "#core/time/windows";
import { insertAudit } from "../store/audit";
import {
  allSealed,
  credentialsOfSource,
  forgetOtherMasters,
  insertVaultKey,
  noteUse,
  reseal,
  sealedOf,
  vaultKeys,
  type CredentialRow,
} from "../store/credentials";
import { PersonError, type Db } from "../store/database";
import type { Access } from "./kinds";
import { newMasterKey, openWith, sealWith, writeMasterKey, type MasterKey } from "./master-key";

/** Reads of one secret for one purpose are on the audit record once in this time. */
const RECORD_EVERY_MS = HOUR_MS;
const FORM = /^v1:(\d+):(.+)$/s;

/**
 * Credentials, sealed: each under a key of the vault, and that key under the master key. Changing the master key wraps the
 * vault's keys anew and leaves what they seal alone.
 */
export class Vault {
  private readonly keys = new Map<number, Buffer>();
  private readonly recorded = new Map<string, number>();

  /** Throws a PersonError where the master key is not the one the store was sealed with. */
  constructor(
    private readonly db: Db,
    private readonly master: MasterKey,
    private readonly now: () => number,
  ) {
    this.read();
    if (!this.keys.size) this.addKey();
    this.adopt();
  }

  private read(): void {
    const rows = vaultKeys(this.db);
    for (const { id, wrapped } of rows.filter((row) => row.master === this.master.id))
      this.keys.set(id, openWith(this.master.key, wrapped));
    if (rows.length && !this.keys.size)
      throw new PersonError(
        "The master key is not the one with which the credentials of this store are sealed. Start with that key.",
      );
    // The key before was left over by a change that was cut off, or that waited for this start.
    if (rows.length > this.keys.size) forgetOtherMasters(this.db, this.master.id);
  }

  private addKey(): void {
    const key = randomBytes(32);
    insertVaultKey(this.db, 1, this.master.id, sealWith(this.master.key, key), this.now());
    this.keys.set(1, key);
  }

  /** Seals anew what versions before sealed with the master key itself. */
  private adopt(): void {
    for (const { id, sealed, kind } of allSealed(this.db)) {
      if (FORM.test(sealed)) continue;
      const text = openWith(this.master.key, sealed).toString("utf8");
      const fields: Record<string, string> = kind === "snmp-community" ? { community: text } : { password: text };
      reseal(this.db, id, this.seal(fields));
    }
  }

  seal(fields: Readonly<Record<string, string>>): string {
    const [id, key] = [...this.keys].at(-1) as [number, Buffer];
    return `v1:${id}:${sealWith(key, Buffer.from(JSON.stringify(fields), "utf8"))}`;
  }

  private open(sealed: string): Record<string, string> {
    const [, id, text] = FORM.exec(sealed) ?? [];
    const key = this.keys.get(Number(id));
    if (!key || text === undefined) throw new Error("A credential is sealed with a key that is not known.");
    return JSON.parse(openWith(key, text).toString("utf8")) as Record<string, string>;
  }

  /** Opens a credential for a purpose, which goes on the audit record. */
  use(credential: CredentialRow, purpose: string): Access {
    const sealed = sealedOf(this.db, credential.id);
    if (sealed === undefined) throw new PersonError(`The credential ${credential.name} is not there any more.`);
    this.record(credential, purpose);
    const { id, name, kind, about, destinations } = credential;
    return { id, name, kind, destinations, fields: { ...about, ...this.open(sealed) } };
  }

  /** What a source may use, in its order. */
  ofSource(sourceId: number, purpose: string): Access[] {
    return credentialsOfSource(this.db, sourceId).map((credential) => this.use(credential, purpose));
  }

  private record(credential: CredentialRow, purpose: string): void {
    const key = `${credential.id} ${purpose}`;
    const nowMs = this.now();
    const last = this.recorded.get(key);
    if (last !== undefined && nowMs - last < RECORD_EVERY_MS && nowMs >= last) return;
    if (this.recorded.size > 5_000) this.recorded.clear();
    this.recorded.set(key, nowMs);
    insertAudit(this.db, {
      atMs: nowMs,
      who: "Holotaxis",
      via: "machine",
      command: "credential.read",
      subject: `credential:${credential.id}`,
      summary: `Read the secret of ${credential.name} for ${purpose}`,
      outcome: "done",
      reason: null,
    });
  }

  /** Takes down how using a credential went. */
  note(id: number, purpose: string, failure: string | null): void {
    noteUse(this.db, id, purpose, this.now(), failure);
  }
}

/** Whether a credential may be used at a host. */
export const mayBeUsedAt = (credential: Pick<CredentialRow, "destinations">, host: string): boolean =>
  destinationsCover(credential.destinations, host);

/**
 * Wraps the vault's keys with a new master key; a running Holotaxis goes on meanwhile, for it holds the vault's keys.
 * With a key file the file is replaced; otherwise the new key is returned and both are good until the next start.
 */
export function rotateMasterKey(db: Db, master: MasterKey, file: string, atMs: number): string | undefined {
  const rows = vaultKeys(db).filter((row) => row.master === master.id);
  if (!rows.length)
    throw new PersonError("No key of the vault is wrapped by this master key; there is nothing to change.");
  const next = newMasterKey(master.isFile);
  db.transaction(() => {
    for (const { id, wrapped } of rows)
      insertVaultKey(db, id, next.id, sealWith(next.key, openWith(master.key, wrapped)), atMs);
    insertAudit(db, {
      atMs,
      who: "Holotaxis",
      via: "console",
      command: "vault.rotate",
      summary: `Changed the master key from ${master.id} to ${next.id}`,
      outcome: "done",
      reason: null,
    });
  })();
  if (!master.isFile) return next.key.toString("base64");
  // Until the file is replaced the old key opens the vault, after it the new one.
  writeMasterKey(file, next.key);
  forgetOtherMasters(db, next.id);
  return undefined;
}
