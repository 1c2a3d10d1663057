import { beforeEach, describe, expect, it } from "vitest";
import { DAY_MS } from "#core/time/windows";
import { ClientBounds } from "./client-bounds";
import { LIMITS } from "./limits";

let now: number;
let bounds: ClientBounds;
beforeEach(() => {
  now = 0;
  bounds = new ClientBounds(() => now);
});
const sender = (index: number) => [["service.name", `s${index}`]] as [string, string][];

describe("what one client may bring", () => {
  it("is so many senders a day; those it spoke for before stay welcome, and others are not touched", () => {
    for (let index = 0; index < LIMITS.sendersOfClient; index++)
      expect(bounds.whyNotSender("192.0.2.1", sender(index))).toBeUndefined();
    expect(bounds.whyNotSender("192.0.2.1", sender(-1))).toContain("spoke for 5000 senders");
    expect(bounds.whyNotSender("192.0.2.1", sender(7))).toBeUndefined();
    expect(bounds.whyNotSender("192.0.2.2", sender(-1))).toBeUndefined();
    now += DAY_MS + 1;
    expect(bounds.whyNotSender("192.0.2.1", sender(-1))).toBeUndefined();
  });
  it("is so many series a day, less than there are for all", () => {
    expect(LIMITS.seriesOfClient).toBeLessThan(LIMITS.series);
    expect(LIMITS.sendersOfClient).toBeLessThan(LIMITS.senders);
    for (let index = 0; index < LIMITS.seriesOfClient; index++) bounds.whyNotSeries("192.0.2.1");
    expect(bounds.whyNotSeries("192.0.2.1")).toContain("brought 100000 series");
    expect(bounds.whyNotSeries("192.0.2.2")).toBeUndefined();
  });
});
