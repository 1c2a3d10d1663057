import { createHash, randomBytes } from "node:crypto";

/** Something that opens a door: shown or handed over once, kept as its hash only. */
export interface Code {
  code: string;
  hash: Buffer;
}

/** 256 bits from the machine's randomness need no slow hash. */
export const hashOf = (code: string): Buffer => createHash("sha256").update(code).digest();

/** @param what first part, which says what it is for; people and scanners of secrets can tell by it */
export function makeCode(what: "session" | "invite" | "token" | "enrol"): Code {
  const code = `hx-${what}-${randomBytes(32).toString("base64url")}`;
  return { code, hash: hashOf(code) };
}
