import { createCipheriv, createDecipheriv, randomBytes } from "node:crypto";
import { existsSync, readFileSync, writeFileSync } from "node:fs";

/** Seals credentials with AES-256-GCM under a key that stays in its own file, readable by its owner only. */
export class Secrets {
  private readonly key: Buffer;

  constructor(file: string) {
    if (!existsSync(file)) writeFileSync(file, randomBytes(32), { mode: 0o600, flag: "wx" });
    this.key = readFileSync(file);
    if (this.key.length !== 32) throw new Error(`The key file ${file} is damaged: it must hold 32 bytes.`);
  }

  seal(text: string): string {
    const nonce = randomBytes(12);
    const cipher = createCipheriv("aes-256-gcm", this.key, nonce);
    const sealed = Buffer.concat([cipher.update(text, "utf8"), cipher.final()]);
    return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString("base64");
  }

  open(sealed: string): string {
    const bytes = Buffer.from(sealed, "base64");
    const decipher = createDecipheriv("aes-256-gcm", this.key, bytes.subarray(0, 12));
    decipher.setAuthTag(bytes.subarray(12, 28));
    return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString("utf8");
  }
}
