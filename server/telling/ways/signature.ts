import { createHmac } from "node:crypto";

/**
 * Signature of a webhook by HMAC with SHA-256 (RFC 2104, FIPS 180-4) over id, instant in seconds and body, so that
 * none of them can be exchanged and an old message cannot be sent again as a new one.
 * @returns "v1," and the code in base64
 */
export const signatureOf = (secret: string | Buffer, id: string, seconds: number, body: string): string =>
  `v1,${createHmac("sha256", secret).update(`${id}.${seconds}.${body}`).digest("base64")}`;
