import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { addressToNumber, eachAddress, inSpans, numberToAddress, parsePorts, parseRanges, spansWithin } from "./ranges";

const count = (text: string) => {
  const result = parseRanges(text);
  return result.ok ? result.count : result.problem;
};

describe("addresses", () => {
  it("go to numbers and back", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 2 ** 32 - 1 }),
        (number) => addressToNumber(numberToAddress(number)) === number,
      ),
    );
  });
  it.each(["", "1.2.3", "1.2.3.4.5", "256.1.1.1", "01.2.3.4", "a.b.c.d", "1.2.3.-4"])("refuses “%s”", (text) =>
    expect(addressToNumber(text)).toBeUndefined(),
  );
});

describe("ranges", () => {
  it.each([
    ["127.20.1.5", 1],
    ["127.20.1.0/24", 254],
    ["127.20.1.4/30", 2],
    ["127.20.1.4/31", 2],
    ["127.20.1.10-40", 31],
    ["127.20.1.250-127.20.2.5", 12],
    ["127.20.1.1-10, 127.20.1.5-20\n127.20.1.21", 21],
    ["2001:db8::5", 1],
    ["2001:DB8::/112", 65_536],
    ["2001:db8::10-2001:db8::1f", 16],
    ["2001:db8::10-1f", 16],
    ["2001:db8::1-4, 2001:db8::3-8, 127.0.0.1", 9],
    ["::ffff:10.0.0.1, 10.0.0.1", 1],
    ["db-1.quay.example, 10.0.0.1", 2],
  ])("counts %s as %d", (text, expected) => expect(count(text)).toBe(expected));

  it.each([
    ["", /at least one address range/],
    ["10.0.0.0/8", /16,777,214 addresses; one source sweeps at most 65,536/],
    ["127.20.1.40-10", /ends before it starts/],
    ["127.20.1.0/33", /not an address range/],
    ["host_1.example", /not an address range/],
    ["2001:db8::/64", /far more addresses than can be tried/],
    ["2001:db8::40-2001:db8::10", /ends before it starts/],
    ["2001:db8::1-10.0.0.1", /not an address range/],
    ["2001:db8::/129", /not an address range/],
    ["127.20.1.1/24/2x", /not an address range/],
    ["127.20.1.1-10-20", /not an address range/],
  ])("answers “%s” with a sentence", (text, sentence) => expect(String(count(text))).toMatch(sentence));

  it("leave out what is not to be asked", () => {
    const left = (text: string, except: string) => {
      const read = parseRanges(text, except);
      return read.ok ? [...eachAddress(read.spans)] : read.problem;
    };
    expect(left("10.0.0.1-6", "10.0.0.3-4")).toEqual(["10.0.0.1", "10.0.0.2", "10.0.0.5", "10.0.0.6"]);
    expect(left("10.0.0.1-3", "10.0.0.0/24")).toContain("Nothing is left");
    expect(left("2001:db8::1-3", "2001:db8::2")).toEqual(["2001:db8::1", "2001:db8::3"]);
    expect(left("10.0.0.1", "x")).toContain("not an address range");
  });
  it("keep both families apart, whatever their order", () => {
    const read = parseRanges("2001:db8::1, 10.0.0.1-2, ::1");
    expect(read.ok && [...eachAddress(read.spans)]).toEqual(["10.0.0.1", "10.0.0.2", "::1", "2001:db8::1"]);
    expect(read.ok && inSpans("2001:DB8:0::1", read.spans)).toBe(true);
    expect(read.ok && inSpans("::2", read.spans)).toBe(false);
  });
  it("list exactly the addresses they count, each once and inside", () => {
    const part = fc
      .tuple(fc.integer({ min: 0, max: 255 }), fc.integer({ min: 0, max: 255 }))
      .map(([a, b]) => `127.20.1.${Math.min(a, b)}-${Math.max(a, b)}`);
    fc.assert(
      fc.property(fc.array(part, { minLength: 1, maxLength: 6 }), (parts) => {
        const result = parseRanges(parts.join(" "));
        if (!result.ok) return false;
        const all = [...eachAddress(result.spans)];
        return (
          all.length === result.count &&
          new Set(all).size === all.length &&
          all.every((address) => inSpans(address, result.spans))
        );
      }),
    );
  });
});

describe("ports", () => {
  it("are sorted, each once", () =>
    expect(parsePorts("8080, 22;22 443")).toEqual({ ok: true, ports: [22, 443, 8080] }));
  it.each(["0", "65536", "http", "-1", "22.5"])("refuses “%s”", (text) =>
    expect(parsePorts(text)).toMatchObject({ ok: false }),
  );
  it("stops at 64", () =>
    expect(parsePorts(Array.from({ length: 65 }, (_, index) => index + 1).join(","))).toMatchObject({
      ok: false,
      problem: expect.stringContaining("at most 64"),
    }));
});

describe("spans within others", () => {
  const spans = (text: string) => {
    const read = parseRanges(text);
    return read.ok ? read.spans : [];
  };
  it.each([
    ["10.0.0.5", "10.0.0.1-9", true],
    ["10.0.0.1-9", "10.0.0.1-9", true],
    ["10.0.0.1-10", "10.0.0.1-9", false],
    ["10.0.0.5, 10.0.1.5", "10.0.0.1-9", false],
    ["10.0.0.5, 10.0.1.5", "10.0.0.1-9, 10.0.1.0/24", true],
    ["10.0.0.1-20", "10.0.0.1-9, 10.0.0.10-20", true],
  ])("%s in %s: %s", (inner, outer, within) => expect(spansWithin(spans(inner), spans(outer))).toBe(within));
});
