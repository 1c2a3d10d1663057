import { describe, expect, it } from "vitest";
import { EstateGraph, reliantServices, type Edge } from "./graph";

const talks = (from: number, to: number): Edge => ({ type: "talks-to", from, to });
const runs = (from: number, to: number): Edge => ({ type: "runs-on", from, to });

describe("what a service is made of", () => {
  // 1 web -> 2 app -> 3 db on hosts 11, 12, 13; 5 is another service's entry that 2 calls.
  const edges = [
    talks(1, 2),
    talks(2, 3),
    talks(2, 5),
    talks(5, 6),
    runs(1, 11),
    runs(2, 12),
    runs(3, 13),
    runs(5, 15),
  ];
  it("follows conversations from the entry and stops at other services' entries", () => {
    const [own] = new EstateGraph(edges).serviceExtents([
      { service: 100, entries: [1] },
      { service: 200, entries: [5] },
    ]);
    expect([...(own?.members ?? [])].sort((a, b) => a - b)).toEqual([1, 2, 3, 11, 12, 13]);
    expect([...(own?.reliesOn ?? [])]).toEqual([200]);
  });
  it("follows only what leads on for it from a front that several share", () => {
    const front: Edge[] = [talks(1, 2), talks(1, 3), talks(3, 4), talks(1, 5)];
    const follows = (from: number, to: number) => from !== 1 || to === 3;
    const [own, other] = new EstateGraph(front).serviceExtents([
      { service: 100, entries: [1], follows },
      { service: 200, entries: [1, 5] },
    ]);
    expect([...(own?.members ?? [])].sort()).toEqual([1, 3, 4]);
    expect([...(own?.reliesOn ?? [])]).toEqual([]);
    // What is its own entry point it does not rely on as another's.
    expect([...(other?.members ?? [])].sort()).toEqual([1, 2, 3, 4, 5]);
  });
  it("survives circles", () =>
    expect(
      [
        ...(new EstateGraph([talks(1, 2), talks(2, 1)]).serviceExtents([{ service: 1, entries: [1] }])[0]?.members ??
          []),
      ].sort(),
    ).toEqual([1, 2]));
  it("finds who relies on a service through others", () =>
    expect(
      [
        ...reliantServices(
          3,
          new Map([
            [1, new Set([2])],
            [2, new Set([3])],
            [4, new Set([1])],
          ]),
        ),
      ].sort(),
    ).toEqual([1, 2, 4]));
  it("knows what carries a component, the nearest first", () => {
    const carried: Edge[] = [runs(1, 11), { type: "hosted-by", from: 11, to: 10 }];
    expect(new EstateGraph(carried).carriersOf(1)).toEqual([11, 10]);
    expect(new EstateGraph([runs(1, 2), runs(2, 1)]).carriersOf(1)).toEqual([2]);
    // In a container of the same host.
    expect(new EstateGraph([...carried, runs(1, 21), runs(21, 11)]).carriersOf(1)).toEqual([21, 11, 10]);
  });
  it("knows what a component needs, itself left out", () =>
    expect([...new EstateGraph([...edges, talks(3, 1)]).reliedOn(1)].sort((a, b) => a - b)).toEqual([
      2, 3, 5, 6, 11, 12, 13, 15,
    ]));
  it("reaches what many share, and passes it only from there", () => {
    // Two hosts, 11 and 12, on the hypervisor 10, with a process on each.
    const shared: Edge[] = [
      { type: "hosted-by", from: 11, to: 10 },
      { type: "hosted-by", from: 12, to: 10 },
      { type: "runs-on", from: 21, to: 11 },
      { type: "runs-on", from: 22, to: 12 },
    ];
    const near = (start: number) =>
      [...new EstateGraph(shared).neighbourhood([start], 3, new Set(["hosted-by", "runs-on"]), new Set([10]))].sort(
        (a, b) => a - b,
      );
    expect(near(21)).toEqual([10, 11, 21]);
    expect(near(10)).toEqual([10, 11, 12, 21, 22]);
  });
  it("finds neighbours within some steps, either way", () =>
    expect([...new EstateGraph(edges).neighbourhood([2], 1, new Set(["talks-to"]))].sort((a, b) => a - b)).toEqual([
      1, 2, 3, 5,
    ]));
});
