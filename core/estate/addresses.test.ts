import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { addressText, canonicalAddress, octetsOfV6 } from "./addresses";

describe("addresses as text", () => {
  // RFC 5952 §1, §4 and §5; RFC 4291 §2.2.
  it.each([
    ["2001:db8:0:0:1:0:0:1", "2001:db8::1:0:0:1"],
    ["2001:DB8::0001", "2001:db8::1"],
    ["2001:0db8:0000:0000:0000:0000:0002:0001", "2001:db8::2:1"],
    ["2001:db8:0:1:1:1:1:1", "2001:db8:0:1:1:1:1:1"],
    ["0:0:0:0:0:0:0:0", "::"],
    ["0:0:0:0:0:0:0:1", "::1"],
    ["fe80::1%eth0", "fe80::1"],
    ["::ffff:192.0.2.1", "192.0.2.1"],
    ["::FFFF:c000:0201", "192.0.2.1"],
    ["192.0.2.1", "192.0.2.1"],
  ])("%s is %s", (text, expected) => expect(canonicalAddress(text)).toBe(expected));
  it.each([
    "",
    ":",
    ":::",
    "1::2::3",
    "2001:db8",
    "12345::",
    "::g",
    "1:2:3:4:5:6:7:8:9",
    "::1.2.3",
    "256.1.1.1",
    "1.2.3",
    "01.2.3.4",
    "host",
  ])("“%s” is none", (text) => expect(canonicalAddress(text)).toBeUndefined());
  it("reads what it wrote", () =>
    fc.assert(
      fc.property(fc.array(fc.constantFrom(0, 0, 0, 1, 255, 0x20), { minLength: 16, maxLength: 16 }), (octets) => {
        const text = addressText(octets);
        if (text.includes(":")) expect(octetsOfV6(text)).toEqual(octets);
      }),
    ));
  it("is nothing for other lengths", () => expect(addressText([1, 2, 3])).toBe(""));
});
