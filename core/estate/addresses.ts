/**
 * An address as text, from its octets (RFC 5952 for IPv6; an IPv4 address mapped into IPv6 is itself).
 * @returns empty for anything but 4 or 16 octets
 */
export function addressText(octets: ArrayLike<number>): string {
  if (octets.length === 4) return Array.from(octets).join(".");
  if (octets.length !== 16) return "";
  const groups = Array.from(
    { length: 8 },
    (_, at) => (octets[2 * at] as number) * 256 + (octets[2 * at + 1] as number),
  );
  if (groups.slice(0, 5).every((group) => group === 0) && groups[5] === 0xffff)
    return Array.from(octets).slice(12).join(".");
  const { from, length } = longestZeros(groups);
  const text = (part: readonly number[]) => part.map((group) => group.toString(16)).join(":");
  return length < 2 ? text(groups) : `${text(groups.slice(0, from))}::${text(groups.slice(from + length))}`;
}

/** The first of the longest runs of zero groups: what "::" stands for. */
function longestZeros(groups: readonly number[]): { from: number; length: number } {
  let best = { from: 0, length: 0 };
  for (let at = 0; at < groups.length; at++) {
    let end = at;
    while (groups[end] === 0) end++;
    if (end - at > best.length) best = { from: at, length: end - at };
    at = end;
  }
  return best;
}

/**
 * An IPv6 address in its one spelling (RFC 5952), without its zone; an IPv4 address as it is.
 * @returns undefined for what is no address
 */
export function canonicalAddress(text: string): string | undefined {
  const plain = text.trim().toLowerCase().split("%")[0] as string;
  if (!plain.includes(":")) return octetsOfV4(plain) && plain;
  const octets = octetsOfV6(plain);
  return octets && addressText(octets);
}

function octetsOfV4(text: string): number[] | undefined {
  const parts = text.split(".");
  if (parts.length !== 4 || !parts.every((part) => /^(0|[1-9]\d{0,2})$/.test(part) && Number(part) < 256))
    return undefined;
  return parts.map(Number);
}

/** The 16 octets of an IPv6 address (RFC 4291 §2.2), with a dotted tail too. */
export function octetsOfV6(text: string): number[] | undefined {
  const halves = text.split("::");
  if (halves.length > 2) return undefined;
  const [front, back] = halves.map((half) => groupsOf(half));
  if (!front || (halves.length === 2 && !back)) return undefined;
  const given = front.length + (back?.length ?? 0);
  if (halves.length === 2 ? given > 14 : given !== 16) return undefined;
  return [...front, ...Array<number>(16 - given).fill(0), ...(back ?? [])];
}

function groupsOf(text: string): number[] | undefined {
  if (text === "") return [];
  const octets: number[] = [];
  const groups = text.split(":");
  for (const [at, group] of groups.entries()) {
    if (at === groups.length - 1 && group.includes(".")) {
      const tail = octetsOfV4(group);
      if (!tail) return undefined;
      octets.push(...tail);
    } else {
      if (!/^[0-9a-f]{1,4}$/.test(group)) return undefined;
      const value = Number.parseInt(group, 16);
      octets.push(value >> 8, value & 255);
    }
  }
  return octets;
}
