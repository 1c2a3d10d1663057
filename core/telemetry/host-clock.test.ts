import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { clockOffset, readDateAndTime, writeDateAndTime } from "./host-clock";

// RFC 2579, DateAndTime: "Tuesday May 26, 1992 at 1:30:15 PM EDT would be displayed as: 1992-5-26,13:30:15.0,-4:0".
const EXAMPLE = Uint8Array.of(1992 >> 8, 1992 & 255, 5, 26, 13, 30, 15, 0, 0x2d, 4, 0);

describe("what a host says of the time", () => {
  it("reads the example of the standard, with its zone and without", () => {
    expect(readDateAndTime(EXAMPLE)).toEqual({ atMs: Date.parse("1992-05-26T17:30:15Z"), isLocal: false });
    expect(readDateAndTime(EXAMPLE.subarray(0, 8))).toEqual({
      atMs: Date.parse("1992-05-26T13:30:15Z"),
      isLocal: true,
    });
  });

  it("reads back what it writes, to a tenth of a second, and no other octets throw", () => {
    fc.assert(
      fc.property(
        fc.date({ min: new Date("1970-01-01"), max: new Date("2105-01-01"), noInvalidDate: true }),
        (date) => {
          const read = readDateAndTime(writeDateAndTime(date.getTime()));
          expect(read?.atMs).toBe(Math.floor(date.getTime() / 100) * 100);
        },
      ),
    );
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 12 }), (octets) => {
        const read = readDateAndTime(octets);
        expect(read === undefined || Number.isFinite(read.atMs)).toBe(true);
      }),
    );
  });

  it("is off by how far it lies outside the time in which it was asked", () => {
    const off = (atMs: number, isLocal = false) => clockOffset({ atMs, isLocal }, 1000, 4000);
    expect([off(2500), off(1000), off(900), off(424_000)]).toEqual([0, 0, -100, 420_000]);
  });

  it("takes whole quarters of an hour for the zone where none was told", () => {
    const hours = 3_600_000;
    expect(clockOffset({ atMs: 5.5 * hours + 7_000, isLocal: true }, 0, 0)).toBe(7_000);
    expect(clockOffset({ atMs: -8 * hours - 90_000, isLocal: true }, 0, 0)).toBe(-90_000);
  });
});
