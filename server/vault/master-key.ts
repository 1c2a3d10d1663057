import { createCipheriv, createDecipheriv, createHash, randomBytes } from "node:crypto";
import { closeSync, existsSync, fsyncSync, openSync, readFileSync, renameSync, writeSync } from "node:fs";
import { PersonError } from "../store/database";

/** Where the master key may be given instead of in a file: 32 bytes as base64. */
export const MASTER_KEY_VARIABLE = "HOLOTAXIS_MASTER_KEY";
const BYTES = 32;

/** Seals with AES-256-GCM: nonce, tag and text together as base64. */
export function sealWith(key: Buffer, text: Buffer): string {
  const nonce = randomBytes(12);
  const cipher = createCipheriv("aes-256-gcm", key, nonce);
  const sealed = Buffer.concat([cipher.update(text), cipher.final()]);
  return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString("base64");
}

/** Throws where the key is another or the text was altered. */
export function openWith(key: Buffer, sealed: string): Buffer {
  const bytes = Buffer.from(sealed, "base64");
  const decipher = createDecipheriv("aes-256-gcm", key, bytes.subarray(0, 12));
  decipher.setAuthTag(bytes.subarray(12, 28));
  return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]);
}

/** The key that wraps the keys of the vault; from a file that only its owner reads, or from the environment. */
export interface MasterKey {
  key: Buffer;
  /** Tells keys apart without telling them. */
  id: string;
  isFile: boolean;
}

const master = (key: Buffer, isFile: boolean): MasterKey => ({
  key,
  id: createHash("sha256").update("holotaxis master key ").update(key).digest("hex").slice(0, 16),
  isFile,
});

/** Writes a key so that a crash leaves the old one or the new one, never half of it. */
export function writeMasterKey(file: string, key: Buffer): void {
  const next = `${file}.new`;
  const handle = openSync(next, "w", 0o600);
  writeSync(handle, key);
  fsyncSync(handle);
  closeSync(handle);
  renameSync(next, file);
}

/** Reads the master key, or makes one in the file. Throws a PersonError where it is damaged. */
export function readMasterKey(file: string, environment: NodeJS.ProcessEnv = process.env): MasterKey {
  const given = environment[MASTER_KEY_VARIABLE];
  if (given !== undefined) {
    const key = Buffer.from(given, "base64");
    if (key.length !== BYTES) throw new PersonError(`${MASTER_KEY_VARIABLE} must be ${BYTES} bytes as base64.`);
    return master(key, false);
  }
  if (!existsSync(file)) writeMasterKey(file, randomBytes(BYTES));
  const key = readFileSync(file);
  if (key.length !== BYTES) throw new PersonError(`The key file ${file} is damaged: it must hold ${BYTES} bytes.`);
  return master(key, true);
}

export const newMasterKey = (isFile: boolean): MasterKey => master(randomBytes(BYTES), isFile);
