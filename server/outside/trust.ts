import { createSecureContext, rootCertificates, type SecureContext } from "node:tls";

/** So many are kept, the newest: an estate has a few private authorities and client certificates. */
const MOST = 64;
const kept = new Map<string, SecureContext>();

/**
 * What a TLS connection trusts and shows: the known authorities, a private one (PEM) besides, and a client certificate.
 * It is kept for the next call: reading all known authorities anew takes longer than most calls do.
 */
export function secureContextOf(
  authority: string | undefined,
  own: { cert?: string | undefined; key?: string | undefined } = {},
): SecureContext {
  const key = JSON.stringify([authority, own.cert, own.key]);
  let context = kept.get(key);
  if (!context) {
    context = createSecureContext({ ...own, ...(authority ? { ca: [...rootCertificates, authority] } : {}) });
    const oldest = kept.size >= MOST ? kept.keys().next() : undefined;
    if (oldest?.value !== undefined) kept.delete(oldest.value);
    kept.set(key, context);
  }
  return context;
}
