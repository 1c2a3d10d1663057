import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { SenderZone } from "./sender-zone";
import { HOUR_MS, MINUTE_MS } from "../time/windows";

const HEARD = Date.parse("2026-03-17T10:00:00.700Z");

describe("times without a zone", () => {
  it("are the sender's own: an hour off is a zone, not a late line", () => {
    const zone = new SenderZone();
    // Seconds are cut, so the difference is just under the hour.
    expect(zone.writtenAt(Date.parse("2026-03-17T11:00:00Z"), HEARD)).toBe(Date.parse("2026-03-17T10:00:00Z"));
    expect(zone.writtenAt(Date.parse("2026-03-17T11:05:03Z"), HEARD + 6 * MINUTE_MS)).toBe(
      Date.parse("2026-03-17T10:05:03Z"),
    );
  });
  it("are right for every zone there is, whatever the fraction of a second", () =>
    fc.assert(
      fc.property(fc.integer({ min: -48, max: 56 }), fc.integer({ min: 0, max: 3_000 }), (quarters, late) => {
        const written = Date.parse("2026-03-17T10:00:00Z");
        expect(new SenderZone().writtenAt(written + quarters * 15 * MINUTE_MS, written + late)).toBe(written);
      }),
    ));
  it("of a line that waited on its way stay what they are, once the zone is known", () => {
    const zone = new SenderZone();
    zone.writtenAt(HEARD - 300, HEARD);
    expect(zone.writtenAt(HEARD - 12 * MINUTE_MS, HEARD)).toBe(HEARD - 12 * MINUTE_MS);
    expect(zone.writtenAt(HEARD - 15 * MINUTE_MS, HEARD)).toBe(HEARD - 15 * MINUTE_MS);
  });
  it("of a clock that is not set are not believed", () => {
    const zone = new SenderZone();
    expect(zone.writtenAt(Date.parse("1970-01-01T00:00:10Z"), HEARD)).toBeUndefined();
    expect(zone.writtenAt(HEARD + 5 * HOUR_MS + 7 * MINUTE_MS, HEARD)).toBeUndefined();
  });
});
