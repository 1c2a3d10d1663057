import { isIP } from "node:net";

/**
 * Whether an address is link-local (RFC 3927 §2.1, RFC 4291 §2.5.6): only neighbours on the wire are there, and where a
 * machine of a cloud asks for its own credentials.
 */
export function isLinkLocal(address: string): boolean {
  const plain = address.toLowerCase().replace(/^\[|\]$/g, "");
  if (isIP(plain) === 4) return plain.startsWith("169.254.");
  if (isIP(plain) !== 6) return false;
  // An IPv4 address written as IPv6 (RFC 4291 §2.5.5.2), in either notation.
  const mapped = /^::ffff:(?:(\d+\.\d+\.\d+\.\d+)|([0-9a-f]{1,4}):[0-9a-f]{1,4})$/.exec(plain);
  if (mapped?.[1]) return isLinkLocal(mapped[1]);
  if (mapped?.[2]) return mapped[2].padStart(4, "0") === "a9fe";
  const first = Number.parseInt(plain.split(":")[0] || "0", 16);
  return (first & 0xffc0) === 0xfe80;
}
