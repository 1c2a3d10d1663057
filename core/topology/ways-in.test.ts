import { describe, expect, it } from "vitest";
import { WaysIn } from "./ways-in";

const [AUCTION, ROUNDS, DESK] = [1, 2, 3];
const [FRONT, DESK_APP, ROUNDS_APP, GAVEL, STORE] = [10, 11, 12, 13, 14];
const ways = new WaysIn([
  { service: AUCTION, component: FRONT },
  { service: ROUNDS, component: FRONT, operations: ["GET /rounds", "GET /tanks/*"] },
  { service: DESK, component: FRONT, operations: ["GET /member"] },
  { service: DESK, component: DESK_APP },
]);

describe("what is asked at a front of several services", () => {
  it("belongs to the one that claims it by name", () => {
    expect(ways.takes(ROUNDS, FRONT, "GET /rounds")).toBe(true);
    expect(ways.takes(ROUNDS, FRONT, "GET /tanks/{id}")).toBe(true);
    expect(ways.takes(DESK, FRONT, "GET /rounds")).toBe(false);
    expect(ways.takes(AUCTION, FRONT, "GET /rounds")).toBe(false);
  });
  it("belongs to those that are entered there as a whole, where nobody claims it", () => {
    expect(ways.takes(AUCTION, FRONT, "GET /lots")).toBe(true);
    expect(ways.takes(ROUNDS, FRONT, "GET /lots")).toBe(false);
  });
  it("belongs to nobody who is not entered there, and is not asked about where nobody claims anything", () => {
    expect(ways.takes(99, FRONT, "GET /lots")).toBe(false);
    expect(ways.takes(DESK, DESK_APP, "GET /account")).toBe(true);
  });
  it("may be claimed by two", () => {
    const both = new WaysIn([
      { service: AUCTION, component: FRONT, operations: ["GET /*"] },
      { service: ROUNDS, component: FRONT, operations: ["GET /rounds"] },
    ]);
    expect(both.takes(AUCTION, FRONT, "GET /rounds")).toBe(true);
    expect(both.takes(ROUNDS, FRONT, "GET /rounds")).toBe(true);
    expect(both.takes(AUCTION, FRONT, "POST /bids")).toBe(false);
  });
});

describe("what a service is made of behind such a front", () => {
  const leads = new Map([
    ["GET /lots", new Set([GAVEL])],
    ["GET /rounds", new Set([ROUNDS_APP])],
    ["GET /member", new Set([DESK_APP])],
  ]);
  it("is what its own operations lead to", () => {
    expect(ways.follows(ROUNDS, FRONT, ROUNDS_APP, leads)).toBe(true);
    expect(ways.follows(ROUNDS, FRONT, GAVEL, leads)).toBe(false);
    expect(ways.follows(AUCTION, FRONT, GAVEL, leads)).toBe(true);
    expect(ways.follows(AUCTION, FRONT, ROUNDS_APP, leads)).toBe(false);
  });
  it("is the whole front's, where no trace tells what leads there", () => {
    expect(ways.follows(AUCTION, FRONT, STORE, leads)).toBe(true);
    expect(ways.follows(ROUNDS, FRONT, STORE, leads)).toBe(false);
    expect(ways.follows(AUCTION, FRONT, GAVEL, undefined)).toBe(true);
    expect(ways.follows(ROUNDS, FRONT, ROUNDS_APP, undefined)).toBe(false);
  });
  it("is all of it elsewhere", () => {
    expect(ways.follows(DESK, DESK_APP, STORE, undefined)).toBe(true);
    expect(ways.follows(DESK, GAVEL, STORE, undefined)).toBe(true);
  });
});
