import { addressToNumber, parseRanges } from "./ranges";

/** A block to which a credential may be taken can be of any size: nobody tries all of it. */
const blocksOf = (text: string) => parseRanges(text, "", Number.POSITIVE_INFINITY);

/** Where a credential may be used: addresses, blocks and spans, and names with * for one or more labels at their front. */
const NAME = /^(\*\.)?[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)*$/i;

const partsOf = (text: string) =>
  text
    .split(/[\s,;]+/)
    .map((part) => part.trim())
    .filter(Boolean);
const isAddressLike = (part: string) => part.includes(":") || /^[\d./-]+$/.test(part);

/** What is wrong with a list of destinations, as a sentence; undefined where it can be read. */
export function destinationsProblem(text: string): string | undefined {
  const parts = partsOf(text);
  if (!parts.length) return "Say for which addresses or names it is.";
  for (const part of parts)
    if (isAddressLike(part)) {
      const read = blocksOf(part);
      if (!read.ok) return read.problem;
    } else if (!NAME.test(part))
      return `“${part.slice(0, 60)}” is no address, block, span or name. Write 10.0.1.0/24, 10.0.1.5-20 or *.ops.example.`;
  return undefined;
}

/**
 * Whether a credential for these destinations may be used at a host.
 * @param host an IPv4 address or a name
 */
export function destinationsCover(text: string, host: string): boolean {
  const name = host.toLowerCase();
  const address = addressToNumber(host);
  return partsOf(text).some((part) => {
    if (isAddressLike(part)) {
      const read = blocksOf(part);
      return (
        read.ok && address !== undefined && read.spans.some((span) => address >= span.first && address <= span.last)
      );
    }
    const pattern = part.toLowerCase();
    return pattern.startsWith("*.")
      ? name.endsWith(pattern.slice(1)) && name.length >= pattern.length
      : name === pattern;
  });
}

/** Whether everything that the new list covers was covered by the old one, as far as that can be told. */
export function destinationsWithin(next: string, before: string): boolean {
  return partsOf(next).every((part) => {
    if (!isAddressLike(part)) {
      const pattern = part.toLowerCase();
      return partsOf(before).some(
        (old) =>
          old.toLowerCase() === pattern ||
          (!isAddressLike(old) &&
            old.startsWith("*.") &&
            pattern.replace(/^\*/, "x").endsWith(old.toLowerCase().slice(1))),
      );
    }
    const read = blocksOf(part);
    const known = blocksOf(partsOf(before).filter(isAddressLike).join(", "));
    return (
      read.ok &&
      known.ok &&
      read.spans.every((span) => known.spans.some((old) => span.first >= old.first && span.last <= old.last))
    );
  });
}
