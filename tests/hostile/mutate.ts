import type { Random } from "./random";

/** Values that trip what reads carelessly. */
export const NASTY: readonly unknown[] = [
  null,
  true,
  "",
  " ",
  0,
  -0,
  -1,
  1.5,
  1e308,
  -1e308,
  9_007_199_254_740_992,
  "9223372036854775808",
  "-9223372036854775809",
  "18446744073709551616",
  "NaN",
  "Infinity",
  "0x10",
  "\ud800",
  "a\udfffb",
  "\u0000",
  "﷽".repeat(50),
  "x".repeat(70_000),
  "' OR 1=1 --",
  "${jndi:ldap://x}",
  "../../../../etc/passwd",
  "<script>alert(1)</script>",
  "=cmd|' /C calc'!A0",
  [],
  {},
  [[[[[[[[[[]]]]]]]]]],
  { __proto__: null },
  { constructor: { prototype: 1 } },
  { toString: "no" },
  { length: -1 },
];

/** Changes some values of a tree, anywhere; names too. */
export function mutateJson(random: Random, value: unknown, share = 0.08): unknown {
  if (random.chance(share)) return random.pick(NASTY);
  if (Array.isArray(value)) {
    const list = value.map((one) => mutateJson(random, one, share));
    if (random.chance(share)) list.push(...list.slice(0, 3));
    return list;
  }
  if (typeof value === "object" && value !== null)
    return Object.fromEntries(
      Object.entries(value).flatMap(([name, one]) => {
        if (random.chance(share / 2)) return [];
        const key = random.chance(share / 3)
          ? random.pick(["__proto__", "", "constructor", "\ud800", "x".repeat(500)])
          : name;
        return [[key, mutateJson(random, one, share)]];
      }),
    );
  return value;
}

/** JSON that nests as deeply as asked, closed or not. */
export const deepJson = (depth: number, closed: boolean): string =>
  "[".repeat(depth) + (closed ? "]".repeat(depth) : "");

/** Damages bytes: flipped, cut, doubled, put in, or nothing but noise. */
export function mutateBytes(random: Random, given: Uint8Array): Buffer {
  let bytes: Buffer = Buffer.from(given);
  for (let times = 1 + random.below(4); times > 0; times--) {
    const at = random.below(bytes.length + 1);
    switch (random.below(7)) {
      case 0:
        if (bytes.length) bytes[at % bytes.length] = random.below(256);
        break;
      case 1:
        bytes = bytes.subarray(0, at);
        break;
      case 2:
        bytes = Buffer.concat([bytes.subarray(0, at), bytes.subarray(random.below(at + 1), at), bytes.subarray(at)]);
        break;
      case 3:
        bytes = Buffer.concat([bytes.subarray(0, at), noise(random, random.below(40)), bytes.subarray(at)]);
        break;
      case 4:
        // A length or a number as large as it can be written.
        bytes = Buffer.concat([
          bytes.subarray(0, at),
          Buffer.from("ffffffffffffffffff01", "hex"),
          bytes.subarray(at + 10),
        ]);
        break;
      case 5:
        if (bytes.length) bytes[at % bytes.length] = (bytes[at % bytes.length] as number) ^ (1 << random.below(8));
        break;
      default:
        bytes = noise(random, random.below(200));
    }
  }
  return bytes;
}

export const noise = (random: Random, length: number): Buffer =>
  Buffer.from(Array.from({ length }, () => random.below(256)));

/** Damages a text, mostly so that it stays text. */
export function mutateText(random: Random, text: string): string {
  if (random.chance(0.15)) return mutateBytes(random, Buffer.from(text)).toString("latin1");
  const at = random.below(text.length + 1);
  const what = random.pick([
    "",
    "\u0000",
    "\ud800",
    "\n",
    "\r\n",
    '"',
    "\\",
    "%",
    "[",
    "]",
    "<",
    "9".repeat(400),
    "é",
    "🙂",
    text,
  ]);
  return random.chance(0.3) ? text.slice(0, at) : text.slice(0, at) + what + text.slice(at + random.below(4));
}
