import { createHash, createHmac } from "node:crypto";
import type { SignIn } from "#core/platforms/mapping";
import type { Access } from "../../vault/kinds";
import { PlatformFailure } from "./failure";

/** Kind of credential that each way of signing in needs. */
export const CREDENTIAL_OF: Readonly<Record<SignIn["scheme"], string | undefined>> = {
  none: undefined,
  key: "bearer",
  basic: "basic",
  oauth2: "oauth-client",
  signed: "signing-key",
};

/** What a request that is to be signed says. */
export interface Signed {
  method: string;
  /** Path and query as they are sent. */
  path: string;
  query: string;
  body: string;
  atMs: number;
}

/** Headers of a signed request (RFC 2104), by the scheme of the mapping. */
export function signatureHeaders(
  scheme: Extract<SignIn, { scheme: "signed" }>,
  fields: Readonly<Record<string, string>>,
  request: Signed,
): Record<string, string> {
  const words: Record<string, string> = {
    method: request.method,
    path: request.path,
    query: request.query,
    time: timeOf(scheme.time, request.atMs),
    "body-hash": createHash(scheme.hash).update(request.body, "utf8").digest(scheme.encoding),
    "key-id": fields.keyId ?? "",
    newline: "\n",
  };
  const fill = (text: string) => text.replaceAll(/\{([a-z-]+)\}/g, (whole, name: string) => words[name] ?? whole);
  words.signature = createHmac(scheme.hash, fields.key ?? "")
    .update(fill(scheme.over), "utf8")
    .digest(scheme.encoding);
  return Object.fromEntries(Object.entries(scheme.headers).map(([name, text]) => [name, fill(text)]));
}

const timeOf = (time: "iso" | "seconds" | "milliseconds", atMs: number) =>
  time === "iso"
    ? new Date(Math.floor(atMs / 1000) * 1000).toISOString().replace(".000Z", "Z")
    : String(time === "seconds" ? Math.floor(atMs / 1000) : atMs);

/** The credential that a way of signing in uses, of those that may be used at the host. */
export function accessFor(signIn: SignIn, access: readonly Access[]): Access | undefined {
  const kind = CREDENTIAL_OF[signIn.scheme];
  if (kind === undefined) return undefined;
  const found = access.find((one) => one.kind === kind);
  if (!found) throw new PlatformFailure(`It signs in ${WAYS[signIn.scheme]}. Add such a credential to the source.`);
  return found;
}

const WAYS: Readonly<Record<SignIn["scheme"], string>> = {
  none: "with nothing",
  key: "with a key (HTTP bearer token)",
  basic: "with a user and a password (HTTP user and password)",
  oauth2: "with an OAuth 2 client",
  signed: "with signed requests (key pair for signed requests)",
};
