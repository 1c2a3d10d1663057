import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { destinationsCover, destinationsProblem, destinationsWithin } from "./destinations";
import { numberToAddress } from "./ranges";

describe("destinations of a credential", () => {
  it("are addresses, blocks, spans and names", () => {
    const list = "10.0.1.0/24, 10.0.2.5-9, 192.0.2.7, *.ops.example, db.example";
    expect(destinationsProblem(list)).toBeUndefined();
    for (const host of [
      "10.0.1.1",
      "10.0.1.254",
      "10.0.2.5",
      "192.0.2.7",
      "a.ops.example",
      "A.B.ops.example",
      "DB.example",
    ])
      expect(destinationsCover(list, host), host).toBe(true);
    for (const host of [
      "10.0.3.1",
      "10.0.2.10",
      "ops.example",
      "evilops.example",
      "a.ops.example.evil",
      "xdb.example",
      "",
    ])
      expect(destinationsCover(list, host), host).toBe(false);
  });
  it("are parted as ranges of sources are, of any size, and of both families", () => {
    const list = "10.0.0.0/8 192.0.2.1;192.0.2.3\nfd77::/64, 2001:db8::1-2001:db8::ffff";
    expect(destinationsProblem(list)).toBeUndefined();
    for (const host of ["10.200.3.4", "192.0.2.1", "192.0.2.3", "fd77::11", "2001:DB8::10"])
      expect(destinationsCover(list, host), host).toBe(true);
    for (const host of ["11.0.0.1", "192.0.2.2", "fd78::11", "2001:db8::1:0"])
      expect(destinationsCover(list, host), host).toBe(false);
    expect(destinationsWithin("fd77::5", "fd77::/64")).toBe(true);
    expect(destinationsWithin("fd77::/48", "fd77::/64")).toBe(false);
  });
  it("say what is wrong with them", () => {
    expect(destinationsProblem("  ")).toBe("Say for which addresses or names it is.");
    for (const wrong of ["*", "a*b.example", "10.0.0.0/40", "http://x.example", "-x.example", "a..b"])
      expect(destinationsProblem(wrong), wrong).toBeDefined();
  });
  it("are within others where those cover all of them", () => {
    expect(destinationsWithin("10.0.1.5-9, a.ops.example", "10.0.1.0/24, *.ops.example")).toBe(true);
    expect(destinationsWithin("*.ops.example", "*.ops.example")).toBe(true);
    expect(destinationsWithin("*.a.ops.example", "*.ops.example")).toBe(true);
    expect(destinationsWithin("*.example", "*.ops.example")).toBe(false);
    expect(destinationsWithin("10.0.1.5-9, 10.0.2.1", "10.0.1.0/24")).toBe(false);
  });
  it("law: what is covered by a list within another is covered by that one", () => {
    const span = fc
      .tuple(fc.integer({ min: 0, max: 250 }), fc.integer({ min: 0, max: 5 }))
      .map(([from, more]) => `10.9.0.${from}-${from + more}`);
    const lists = fc.array(span, { minLength: 1, maxLength: 4 }).map((list) => list.join(", "));
    fc.assert(
      fc.property(lists, lists, fc.integer({ min: 0, max: 255 }), (inner, outer, last) => {
        const host = numberToAddress(10 * 2 ** 24 + 9 * 2 ** 16 + last);
        if (destinationsWithin(inner, outer) && destinationsCover(inner, host))
          expect(destinationsCover(outer, host)).toBe(true);
      }),
    );
  });
});
