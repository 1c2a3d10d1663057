import { addressText, octetsOfV6 } from "./addresses";

/**
 * An address as a number that sorts: IPv4 as unsigned 32 bits, IPv6 as 128 bits above all of them. Everywhere else
 * addresses are text.
 */
export type AddressNumber = number | bigint;

/** From one address to another of the same family, both ends included. */
export interface AddressSpan {
  first: AddressNumber;
  last: AddressNumber;
}

/** One sweep tries at most this many addresses. */
export const MOST_ADDRESSES = 65_536;

/** Where IPv6 begins among the numbers. */
const V6 = 2n ** 128n;

/** Dotted IPv4 text or IPv6 text to its number, or undefined. Leading zeros are refused since programs disagree on them. */
export function addressToNumber(text: string): AddressNumber | undefined {
  const plain = text.trim().toLowerCase();
  if (plain.includes(":")) return v6ToNumber(plain.split("%")[0] as string);
  const parts = plain.split(".");
  if (parts.length !== 4) return undefined;
  let number = 0;
  for (const part of parts) {
    if (!/^(0|[1-9]\d{0,2})$/.test(part)) return undefined;
    const octet = Number(part);
    if (octet > 255) return undefined;
    number = number * 256 + octet;
  }
  return number;
}

function v6ToNumber(text: string): AddressNumber | undefined {
  const octets = octetsOfV6(text);
  if (!octets) return undefined;
  // An IPv4 address mapped into IPv6 is itself.
  const shown = addressText(octets);
  if (!shown.includes(":")) return addressToNumber(shown);
  return octets.reduce((sum, octet) => sum * 256n + BigInt(octet), 0n) + V6;
}

export function numberToAddress(number: AddressNumber): string {
  if (typeof number === "number")
    return [number >>> 24, (number >>> 16) & 255, (number >>> 8) & 255, number & 255].join(".");
  const octets: number[] = [];
  for (let rest = number - V6, at = 0; at < 16; at++, rest >>= 8n) octets.unshift(Number(rest & 255n));
  return addressText(octets);
}

/** A text that sorts as addresses do. */
export function addressSortKey(text: string): string {
  const number = addressToNumber(text);
  if (number === undefined) return "";
  return typeof number === "number"
    ? `4${number.toString(16).padStart(8, "0")}`
    : `6${(number - V6).toString(16).padStart(32, "0")}`;
}

const following = (number: AddressNumber): AddressNumber => (typeof number === "bigint" ? number + 1n : number + 1);
const preceding = (number: AddressNumber): AddressNumber => (typeof number === "bigint" ? number - 1n : number - 1);
const sizeOf = ({ first, last }: AddressSpan): number => Number(last) - Number(first) + 1;
/** How many addresses a span has; of large spans of IPv6 only roughly. */
const countOf = (spans: readonly AddressSpan[]): number =>
  spans.reduce(
    (sum, one) =>
      sum +
      (typeof one.last === "bigint" && typeof one.first === "bigint" ? Number(one.last - one.first + 1n) : sizeOf(one)),
    0,
  );

export type RangesResult =
  | {
      ok: true;
      spans: AddressSpan[];
      /** Names of hosts, to be looked up when it is swept. */ names: string[];
      count: number;
    }
  | { ok: false; problem: string };

const NAME = /^(?=.*[a-z])[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)+$/i;

/**
 * Reads address ranges separated by commas, spaces or new lines: single addresses, CIDR blocks (RFC 4632, RFC 4291) and
 * spans such as 127.20.1.10-40, 127.20.1.10-127.20.2.40 or 2001:db8::10-2001:db8::40, and whole host names. Overlaps are
 * merged. In an IPv4 block of up to /30 the network and broadcast addresses are left out.
 * @param except ranges that are left out
 * @param most addresses that there may be
 */
export function parseRanges(text: string, except = "", most = MOST_ADDRESSES): RangesResult {
  const words = text.split(/[\s,;]+/).filter(Boolean);
  if (words.length === 0) return { ok: false, problem: "Give at least one address range, for example 127.20.1.0/24." };
  const spans: AddressSpan[] = [];
  const names: string[] = [];
  for (const word of words) {
    const span = parseSpan(word);
    if (typeof span !== "string") spans.push(span);
    else if (NAME.test(word)) names.push(word.toLowerCase());
    else return { ok: false, problem: span };
  }
  let merged = mergeSpans(spans);
  if (except.trim()) {
    const left = parseRanges(except, "", Number.POSITIVE_INFINITY);
    if (!left.ok) return left;
    merged = withoutSpans(merged, left.spans);
  }
  const count = countOf(merged) + names.length;
  if (count > most)
    return {
      ok: false,
      problem: `That is ${count > 1e12 ? "far more" : count.toLocaleString("en-GB")} addresses${count > 1e12 ? " than can be tried" : ""}; one source sweeps at most ${most.toLocaleString("en-GB")}. Split it into several sources or narrow the range.`,
    };
  if (count === 0) return { ok: false, problem: "Nothing is left of these addresses. Leave out less." };
  return { ok: true, spans: merged, names, count };
}

function mergeSpans(spans: readonly AddressSpan[]): AddressSpan[] {
  const merged: AddressSpan[] = [];
  for (const span of [...spans].sort((a, b) => (a.first < b.first ? -1 : a.first > b.first ? 1 : 0))) {
    const before = merged.at(-1);
    const sameFamily = before && typeof before.last === typeof span.first;
    if (before && sameFamily && span.first <= following(before.last)) {
      if (span.last > before.last) before.last = span.last;
    } else merged.push({ ...span });
  }
  return merged;
}

/** Spans without others, both merged. */
function withoutSpans(spans: readonly AddressSpan[], out: readonly AddressSpan[]): AddressSpan[] {
  let rest = [...spans];
  for (const gap of out)
    rest = rest.flatMap((span) => {
      if (gap.last < span.first || gap.first > span.last) return [span];
      return [
        ...(gap.first > span.first ? [{ first: span.first, last: preceding(gap.first) }] : []),
        ...(gap.last < span.last ? [{ first: following(gap.last), last: span.last }] : []),
      ];
    });
  return rest;
}

function parseSpan(word: string): AddressSpan | string {
  const shown = word.slice(0, 50);
  const unreadable = `“${shown}” is not an address range. Write an address (127.20.1.5), a block (127.20.1.0/24), a span (127.20.1.5-40) or a host name (db-1.example).`;
  if (word.includes("/")) return parseBlock(word) ?? unreadable;
  if (word.includes("-") && (word.includes(":") || /^[\d.-]+$/.test(word))) {
    const [low = "", high = "", more] = word.split("-");
    if (more !== undefined) return unreadable;
    const first = addressToNumber(low);
    if (first === undefined) return unreadable;
    const last =
      /^\d{1,3}$/.test(high) && typeof first === "number"
        ? addressToNumber([...low.split(".").slice(0, 3), high].join("."))
        : /^[0-9a-f]{1,4}$/i.test(high) && typeof first === "bigint"
          ? ((first >> 16n) << 16n) + BigInt(Number.parseInt(high, 16))
          : addressToNumber(high);
    if (last === undefined || typeof last !== typeof first) return unreadable;
    if (last < first) return `The span “${shown}” ends before it starts. Swap its two ends.`;
    return { first, last };
  }
  const single = addressToNumber(word);
  return single === undefined ? unreadable : { first: single, last: single };
}

function parseBlock(word: string): AddressSpan | undefined {
  const [base = "", bits = "", more] = word.split("/");
  if (more !== undefined || !/^\d{1,3}$/.test(bits)) return undefined;
  const address = addressToNumber(base);
  const length = Number(bits);
  if (typeof address === "bigint") {
    if (length > 128) return undefined;
    const size = 2n ** BigInt(128 - length);
    const first = ((address - V6) / size) * size + V6;
    return { first, last: first + size - 1n };
  }
  if (address === undefined || length > 32) return undefined;
  const size = 2 ** (32 - length);
  const first = Math.floor(address / size) * size;
  return length <= 30 ? { first: first + 1, last: first + size - 2 } : { first, last: first + size - 1 };
}

/** Whether an address lies in one of the spans. */
export function inSpans(address: string, spans: readonly AddressSpan[]): boolean {
  const number = addressToNumber(address);
  return number !== undefined && spans.some((span) => number >= span.first && number <= span.last);
}

/** Whether every address of some spans lies in others, which are merged as `parseRanges` gives them. */
export const spansWithin = (inner: readonly AddressSpan[], outer: readonly AddressSpan[]): boolean =>
  inner.every((one) => outer.some((other) => one.first >= other.first && one.last <= other.last));

/** All addresses of the spans in order. */
export function* eachAddress(spans: readonly AddressSpan[]): Generator<string> {
  for (const span of spans)
    for (let number = span.first; number <= span.last; number = following(number)) yield numberToAddress(number);
}

export type PortsResult = { ok: true; ports: number[] } | { ok: false; problem: string };

/** Reads a list of TCP ports, at most 64 of them. */
export function parsePorts(text: string): PortsResult {
  const words = text.split(/[\s,;]+/).filter(Boolean);
  const ports = new Set<number>();
  for (const word of words) {
    const port = Number(word);
    if (!/^\d{1,5}$/.test(word) || port < 1 || port > 65_535)
      return {
        ok: false,
        problem: `“${word.slice(0, 20)}” is not a TCP port. Ports are whole numbers from 1 to 65535, separated by commas.`,
      };
    ports.add(port);
  }
  if (ports.size > 64)
    return { ok: false, problem: `That is ${ports.size} ports; one source tries at most 64 for each address.` };
  return { ok: true, ports: [...ports].sort((a, b) => a - b) };
}
