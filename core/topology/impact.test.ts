import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { serviceState, singlePoints, Structure, type NeedEdge, type Part } from "./impact";

const part = (id: number, label: string, kind = "app.process"): Part => ({ id, label, kind });

/** Two fronts over two stores of one program and one directory; hosts 11, 12 on one hypervisor, switch pair 21, 22. */
function estate() {
  const parts = [
    part(1, "front"),
    part(2, "front"),
    part(3, "store", "db"),
    part(4, "store", "db"),
    part(5, "names", "dir"),
    part(11, "h-1", "host"),
    part(12, "h-2", "host"),
    part(13, "h-3", "host"),
    part(20, "virt", "hypervisor"),
    part(21, "sw-1", "switch"),
    part(22, "sw-2", "switch"),
  ];
  let next = 100;
  const edge = (type: NeedEdge["type"], from: number, to: number): NeedEdge => ({ id: next++, type, from, to });
  const edges = [
    edge("talks-to", 1, 3),
    edge("talks-to", 1, 4),
    edge("talks-to", 2, 3),
    edge("talks-to", 2, 4),
    edge("talks-to", 3, 5),
    edge("talks-to", 4, 5),
    edge("runs-on", 1, 11),
    edge("runs-on", 2, 12),
    edge("runs-on", 3, 11),
    edge("runs-on", 4, 12),
    edge("runs-on", 5, 13),
    edge("hosted-by", 11, 20),
    edge("hosted-by", 12, 20),
    edge("wired-to", 11, 21),
    edge("wired-to", 11, 22),
    edge("wired-to", 12, 21),
  ];
  return { structure: new Structure(new Map(parts.map((one) => [one.id, one])), edges), edges };
}
const ENTRANCES = [{ label: "front", entries: [1, 2] }];

describe("what fails with what", () => {
  it("is weakened by one of a pair and falls with both", () => {
    const { structure } = estate();
    const one = structure.impact([3]);
    expect([...one.down.keys()]).toEqual([3]);
    expect(one.weakened.get(1)).toEqual({ label: "store", lost: 1, of: 2 });
    expect(serviceState(ENTRANCES, one)).toBe("weakened");
    const both = structure.impact([3, 4]);
    expect(both.down.get(1)).toEqual({ step: 1, because: "store" });
    expect(serviceState(ENTRANCES, both)).toBe("down");
  });
  it("goes on step by step, and names what each has nothing left of", () => {
    const { structure } = estate();
    const { down } = structure.impact([13]);
    expect([...down].map(([id, { step, because }]) => [id, step, because])).toEqual([
      [13, 0, null],
      [5, 1, "h-3"],
      [3, 2, "names"],
      [4, 2, "names"],
      [1, 3, "store"],
      [2, 3, "store"],
    ]);
  });
  it("needs one switch of those a host is wired to, and the hypervisor always", () => {
    const { structure } = estate();
    expect([...structure.impact([21]).down.keys()].sort((a, b) => a - b)).toEqual([2, 4, 12, 21]);
    expect(structure.impact([20]).down.has(1)).toBe(true);
  });
  it("can be a relation only, and then only for whom it is", () => {
    const { structure, edges } = estate();
    const talks = edges.filter((one) => one.from === 1 && one.type === "talks-to");
    const impact = structure.impact([], new Set(talks.map((one) => one.id)), [1]);
    expect([...impact.down.keys()]).toEqual([1]);
    expect(serviceState(ENTRANCES, impact)).toBe("weakened");
  });
  it("names the single points of failure", () => {
    const { structure } = estate();
    expect(
      singlePoints(structure, ENTRANCES)
        .map(({ id }) => id)
        .sort((a, b) => a - b),
    ).toEqual([5, 13, 20]);
  });
  it("names the same single points as failing each one in the whole estate", () => {
    const edges = fc.array(
      fc.record({
        type: fc.constantFrom("talks-to", "runs-on") as fc.Arbitrary<NeedEdge["type"]>,
        from: fc.nat({ max: 14 }),
        to: fc.nat({ max: 14 }),
      }),
      { maxLength: 40 },
    );
    fc.assert(
      fc.property(edges, fc.uniqueArray(fc.nat({ max: 14 }), { minLength: 1, maxLength: 3 }), (list, entries) => {
        const parts = new Map(Array.from({ length: 15 }, (_, id) => [id, part(id, `p${id % 5}`)]));
        const structure = new Structure(
          parts,
          list.map((one, id) => ({ id, ...one })),
        );
        const entrances = [{ label: "e", entries }];
        const plain = [...parts.keys()].filter((id) => serviceState(entrances, structure.impact([id])) === "down");
        const found = singlePoints(structure, entrances).map(({ id }) => id);
        expect(found.sort((a, b) => a - b)).toEqual(plain);
      }),
    );
  });
  it("is monotone: what fails with some fails with more, and nothing falls that has all it needs", () => {
    const edges = fc.array(
      fc.record({
        type: fc.constantFrom("talks-to", "runs-on", "wired-to" as const) as fc.Arbitrary<NeedEdge["type"]>,
        from: fc.nat({ max: 14 }),
        to: fc.nat({ max: 14 }),
      }),
      { maxLength: 40 },
    );
    fc.assert(
      fc.property(edges, fc.array(fc.nat({ max: 14 })), fc.array(fc.nat({ max: 14 })), (list, some, more) => {
        const parts = new Map(Array.from({ length: 15 }, (_, id) => [id, part(id, `p${id % 5}`)]));
        const structure = new Structure(
          parts,
          list.map((one, id) => ({ id, ...one })),
        );
        const small = structure.impact(some);
        const large = structure.impact([...some, ...more]);
        for (const id of small.down.keys()) expect(large.down.has(id)).toBe(true);
        for (const [id] of parts) {
          const lacks = structure.needsOf(id).some(({ any }) => any.every(({ to }) => small.down.has(to)));
          expect(small.down.has(id)).toBe(some.includes(id) || lacks);
        }
      }),
    );
  });
});
