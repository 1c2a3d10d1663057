import { canonicalAddress, octetsOfV6 } from "./addresses";

/** The network an address is usually in, where nobody says how long its prefix is: 24 bits of IPv4, 64 of IPv6. */
export function subnetOf(address: string): string | undefined {
  const v4 = /^(\d{1,3})\.(\d{1,3})\.(\d{1,3})\.\d{1,3}$/.exec(address);
  if (v4) return `${v4[1]}.${v4[2]}.${v4[3]}.0/24`;
  const octets = address.includes(":") ? octetsOfV6(address) : undefined;
  if (!octets) return undefined;
  const groups = [0, 2, 4, 6].map((at) => (((octets[at] ?? 0) << 8) | (octets[at + 1] ?? 0)).toString(16));
  const network = canonicalAddress(`${groups.join(":")}::`);
  return network && `${network}/64`;
}
