import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { EstateGraph, reliantServices, type Edge } from "./graph";
import { layStrata, type StrataNode } from "./strata";

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

describe("strata", () => {
  const options = { cardWidth: 100, cardHeight: 50, gapX: 10, gapY: 10, mostAcross: 4, padding: 10, margin: 50 };
  const nodeOf = (index: number, stratum: StrataNode["stratum"]): StrataNode => ({
    id: `n${index}`,
    stratum,
    group: "g",
    label: `n${index}`,
  });
  const estate = fc
    .array(fc.constantFrom<StrataNode["stratum"]>("services", "applications", "data", "hosts"), {
      minLength: 1,
      maxLength: 40,
    })
    .map((strata) => strata.map((stratum, index) => nodeOf(index, stratum)));
  const withLinks = estate.chain((nodes) =>
    fc.tuple(
      fc.constant(nodes),
      fc.array(
        fc.tuple(fc.nat(nodes.length - 1), fc.nat(nodes.length - 1)).map(([a, b]) => ({ from: `n${a}`, to: `n${b}` })),
        { maxLength: 60 },
      ),
    ),
  );

  it("place every card once, in its own layer, without overlap, and always the same way", () => {
    fc.assert(
      fc.property(withLinks, ([nodes, links]) => {
        const layout = layStrata(nodes, links, options);
        const place = new Map(layout.cards.map((card) => [card.id, card]));
        const bands = new Map(layout.strata.map((stratum) => [stratum.id, stratum]));
        const inLayer = nodes.every((node) => {
          const card = place.get(node.id);
          const band = bands.get(node.stratum);
          return (
            card &&
            band &&
            card.y >= band.y &&
            card.y + options.cardHeight <= band.y + band.height &&
            card.x >= options.margin &&
            card.x + options.cardWidth <= layout.width
          );
        });
        const apart = layout.cards.every((a, index) =>
          layout.cards
            .slice(index + 1)
            .every((b) => Math.abs(a.x - b.x) >= options.cardWidth || Math.abs(a.y - b.y) >= options.cardHeight),
        );
        return (
          layout.cards.length === nodes.length &&
          inLayer &&
          apart &&
          JSON.stringify(layStrata([...nodes].reverse(), links, options)) === JSON.stringify(layout)
        );
      }),
    );
  });
  it("puts what belongs together under each other", () => {
    const nodes = [nodeOf(1, "applications"), nodeOf(2, "applications"), nodeOf(3, "hosts"), nodeOf(4, "hosts")];
    const { cards } = layStrata(
      nodes,
      [
        { from: "n1", to: "n4" },
        { from: "n2", to: "n3" },
      ],
      options,
    );
    const x = (id: string) => cards.find((card) => card.id === id)?.x;
    expect(x("n1")).toBe(x("n4"));
    expect(x("n2")).toBe(x("n3"));
  });
});
