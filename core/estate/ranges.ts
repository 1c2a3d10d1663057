/** Addresses are kept as unsigned 32-bit numbers here and as dotted text everywhere else. */
export interface AddressSpan {
  first: number;
  last: number;
}

/** One sweep tries at most this many addresses. */
export const MOST_ADDRESSES = 65_536;

/** Dotted IPv4 text to its 32-bit number, or undefined. Leading zeros are refused since programs disagree on them. */
export function addressToNumber(text: string): number | undefined {
  const parts = text.trim().split(".");
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

export function numberToAddress(number: number): string {
  return [number >>> 24, (number >>> 16) & 255, (number >>> 8) & 255, number & 255].join(".");
}

export type RangesResult = { ok: true; spans: AddressSpan[]; count: number } | { ok: false; problem: string };

/**
 * Reads address ranges separated by commas, spaces or new lines: single addresses, CIDR blocks (RFC 4632) and
 * spans such as 127.20.1.10-40 or 127.20.1.10-127.20.2.40. Overlaps are merged. In a block of up to /30 the network
 * and broadcast addresses are left out.
 */
export function parseRanges(text: string): RangesResult {
  const words = text.split(/[\s,;]+/).filter(Boolean);
  if (words.length === 0) return { ok: false, problem: "Give at least one address range, for example 127.20.1.0/24." };
  const spans: AddressSpan[] = [];
  for (const word of words) {
    const span = parseSpan(word);
    if (typeof span === "string") return { ok: false, problem: span };
    spans.push(span);
  }
  spans.sort((a, b) => a.first - b.first);
  const merged: AddressSpan[] = [];
  for (const span of spans) {
    const before = merged.at(-1);
    if (before && span.first <= before.last + 1) before.last = Math.max(before.last, span.last);
    else merged.push({ ...span });
  }
  const count = merged.reduce((sum, span) => sum + span.last - span.first + 1, 0);
  if (count > MOST_ADDRESSES)
    return {
      ok: false,
      problem: `That is ${count.toLocaleString("en-GB")} addresses; one source sweeps at most ${MOST_ADDRESSES.toLocaleString("en-GB")}. Split it into several sources or narrow the range.`,
    };
  return { ok: true, spans: merged, count };
}

function parseSpan(word: string): AddressSpan | string {
  const shown = word.slice(0, 50);
  const unreadable = `“${shown}” is not an address range. Write an address (127.20.1.5), a block (127.20.1.0/24) or a span (127.20.1.5-40).`;
  if (word.includes("/")) {
    const [base = "", bits = "", more] = word.split("/");
    if (more !== undefined) return unreadable;
    const address = addressToNumber(base);
    if (address === undefined || !/^\d{1,2}$/.test(bits) || Number(bits) > 32) return unreadable;
    const size = 2 ** (32 - Number(bits));
    const first = Math.floor(address / size) * size;
    return Number(bits) <= 30 ? { first: first + 1, last: first + size - 2 } : { first, last: first + size - 1 };
  }
  if (word.includes("-")) {
    const [low = "", high = "", more] = word.split("-");
    if (more !== undefined) return unreadable;
    const first = addressToNumber(low);
    if (first === undefined) return unreadable;
    const last = /^\d{1,3}$/.test(high)
      ? addressToNumber([...low.split(".").slice(0, 3), high].join("."))
      : addressToNumber(high);
    if (last === undefined) return unreadable;
    if (last < first) return `The span “${shown}” ends before it starts. Swap its two ends.`;
    return { first, last };
  }
  const single = addressToNumber(word);
  return single === undefined ? unreadable : { first: single, last: single };
}

/** Whether a dotted address lies in one of the spans. */
export function inSpans(address: string, spans: readonly AddressSpan[]): boolean {
  const number = addressToNumber(address);
  return number !== undefined && spans.some((span) => number >= span.first && number <= span.last);
}

/** Whether every address of some spans lies in others, which are merged as `parseRanges` gives them. */
export const spansWithin = (inner: readonly AddressSpan[], outer: readonly AddressSpan[]): boolean =>
  inner.every((one) => outer.some((other) => one.first >= other.first && one.last <= other.last));

/** All addresses of the spans in order. */
export function* eachAddress(spans: readonly AddressSpan[]): Generator<string> {
  for (const span of spans) for (let number = span.first; number <= span.last; number++) yield numberToAddress(number);
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
