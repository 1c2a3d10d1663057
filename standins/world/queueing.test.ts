import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { attemptsOf, erlangB, erlangC, stretchOf, untilTimeout, waitGGc, waitMMc } from "./queueing";

describe("queueing formulas", () => {
  const rho = fc.double({ min: 0.01, max: 0.95, noNaN: true });
  const servers = fc.integer({ min: 1, max: 60 });
  it("make more servers wait less at the same use of each, and a busier one wait more", () => {
    fc.assert(
      fc.property(rho, servers, (share, count) => {
        const wait = (of: number, many: number) => waitMMc(many, of * many, 1);
        return (
          wait(share, count) >= wait(share, count + 1) - 1e-12 &&
          wait(share, count) <= wait(share + 0.04, count) + 1e-12
        );
      }),
    );
  });
  it("have Erlang C above Erlang B, both between 0 and 1", () => {
    fc.assert(
      fc.property(rho, servers, (share, count) => {
        const [b, c] = [erlangB(count, share * count), erlangC(count, share * count)];
        return b >= 0 && b <= c && c <= 1;
      }),
    );
  });
  it("never end where the servers cannot keep up", () => {
    expect(waitMMc(2, 3, 1)).toBe(Number.POSITIVE_INFINITY);
    expect(erlangC(2, 3)).toBe(1);
    expect(waitGGc(1, 1, 1, 1, 1)).toBe(Number.POSITIVE_INFINITY);
  });
  it("stretch nothing on an idle machine, and stay finite on a full one", () => {
    expect(stretchOf(4, 0)).toBe(1);
    expect(stretchOf(4, 4)).toBeLessThan(40);
    expect(stretchOf(1, 0.5)).toBeCloseTo(2, 10);
  });
});

describe("time-outs and attempts", () => {
  it("time out always behind a delay that is too long, and hardly ever far before it", () => {
    expect(untilTimeout(3, 0.1, 2)).toEqual({ late: 1, seconds: 2 });
    expect(untilTimeout(0, 0.01, 2)).toEqual({ late: 0, seconds: 0.01 });
    expect(untilTimeout(0, 2, 2).late).toBeCloseTo(Math.exp(-1), 10);
  });
  it("never take longer than the time-out", () => {
    const span = fc.double({ min: 0, max: 20, noNaN: true });
    fc.assert(fc.property(span, span, (delay, mean) => untilTimeout(delay, mean + 1e-6, 2).seconds <= 2));
  });
  it("cost attempts as often as they fail", () => {
    expect(attemptsOf(0, 3)).toEqual({ attempts: 1, failed: 0 });
    expect(attemptsOf(1, 3)).toEqual({ attempts: 4, failed: 1 });
    expect(attemptsOf(0.5, 1)).toEqual({ attempts: 1.5, failed: 0.25 });
  });
});
