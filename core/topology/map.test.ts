import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { SEVERITIES } from "../alarms/severity";
import { arrange, drawnAs, sumLinks, tally, unfold, type Arranged, type Link, type Visible } from "./arrange";
import { layBoard, type BoardBand, type BoardCard } from "./board";
import { EstateGraph, type Edge } from "./graph";
import { orderLayers } from "./order";
import { between, reach } from "./paths";
import { articulationPoints, cycles, dominators } from "./structure";

const thing = fc.record({
  site: fc.constantFrom("North", "South", "a/b", "~"),
  kind: fc.constantFrom("host", "db", undefined),
  severity: fc.constantFrom(...SEVERITIES),
});
const things = fc.array(thing, { maxLength: 60 }).map((list) =>
  list.map(({ site, kind, severity }, index): Arranged => ({
    id: `c${index}`,
    severity,
    traits: new Map([
      ["site", { value: site, label: site }],
      ...(kind ? ([["kind", { value: kind, label: kind }]] as const) : []),
    ]),
  })),
);
const flat = (visible: readonly Visible<Arranged>[]): Visible<Arranged>[] =>
  visible.flatMap((one) => [one, ...flat(one.inside ?? [])]);

describe("arrangements", () => {
  it("hold each thing exactly once, and their counts add up at every level", () => {
    fc.assert(
      fc.property(things, (list) => {
        const groups = arrange(list, ["site", "kind"]);
        const inner = groups.flatMap((group) => group.groups.flatMap((one) => one.members.map(({ id }) => id)));
        expect([...inner].sort()).toEqual(list.map(({ id }) => id).sort());
        for (const group of groups) {
          expect(group.members).toHaveLength(group.groups.reduce((sum, one) => sum + one.members.length, 0));
          const { unwell, of } = tally(group.members);
          expect(unwell).toBe(of.reduce((sum, [, count]) => sum + count, 0));
          expect(unwell).toBe(group.groups.reduce((sum, one) => sum + tally(one.members).unwell, 0));
        }
        expect(new Set(groups.flatMap((group) => [group.key, ...group.groups.map((one) => one.key)])).size).toBe(
          groups.length + groups.reduce((sum, group) => sum + group.groups.length, 0),
        );
      }),
    );
  });
  it("draw every thing as itself or as one group that holds it, whatever is open", () => {
    fc.assert(
      fc.property(things, fc.array(fc.nat({ max: 20 })), fc.integer({ min: 1, max: 12 }), (list, chosen, most) => {
        const groups = arrange(list, ["site", "kind"]);
        const keys = groups.flatMap((group) => [group.key, ...group.groups.map((one) => one.key)]);
        const open = new Set(chosen.flatMap((place) => keys[place] ?? []));
        const visible = unfold(groups, { open, most, further: [] });
        const drawn = new Map(flat(visible).map((one) => [one.id, one]));
        const places = drawnAs(visible);
        for (const { id } of list) {
          const place = drawn.get(places.get(id) ?? "");
          expect(place?.thing?.id === id || place?.group?.members.some((member) => member.id === id)).toBe(true);
        }
        // What has no room is counted.
        for (const one of drawn.values())
          if (one.inside && one.group && one.inside.every((card) => card.thing))
            expect(one.inside.length + (one.left ?? 0)).toBe(one.group.members.length);
      }),
    );
  });
  it("add relations up: nothing is lost but what stays inside one group", () => {
    const link = fc.record({ a: fc.nat({ max: 20 }), b: fc.nat({ max: 20 }), calls: fc.nat({ max: 9 }) });
    fc.assert(
      fc.property(things, fc.array(link, { maxLength: 60 }), (list, pairs) => {
        const links: Link[] = pairs.map(({ a, b, calls }) => ({
          type: "talks-to",
          from: `c${a}`,
          to: `c${b}`,
          connections: 1,
          calls,
          traffic: calls * 8,
        }));
        const places = drawnAs(unfold(arrange(list, ["site"]), { open: new Set(), most: 9, further: [] }));
        const outside = links.filter(
          ({ from, to }) => places.has(from) && places.has(to) && places.get(from) !== places.get(to),
        );
        const sums = sumLinks(links, places);
        expect(sums.reduce((sum, one) => sum + one.relations, 0)).toBe(outside.length);
        expect(sums.reduce((sum, one) => sum + one.calls, 0)).toBe(
          outside.reduce((sum, one) => sum + (one.calls ?? 0), 0),
        );
        for (const one of sums) expect(one.traffic).toBe(one.calls * 8);
        expect(new Set(sums.map(({ from, to }) => `${from} ${to}`)).size).toBe(sums.length);
      }),
    );
  });
});

const OPTIONS = {
  cardWidth: 172,
  cardHeight: 62,
  gapX: 28,
  gapY: 26,
  columns: 6,
  margin: 96,
  padding: 18,
  trayHead: 22,
};

describe("the board", () => {
  /** Bands of cards, some of which may be opened. */
  const bands = fc.array(fc.integer({ min: 1, max: 20 }), { minLength: 1, maxLength: 5 }).map((counts) =>
    counts.map((count, band): BoardBand => ({
      id: `b${band}`,
      label: `Band ${band}`,
      cards: Array.from({ length: count }, (_, card) => ({ id: `${band}.${card}` })),
    })),
  );
  const opened = (list: readonly BoardBand[], which: ReadonlyMap<string, number>): BoardBand[] =>
    list.map((band) => ({
      ...band,
      cards: band.cards.map((card): BoardCard => {
        const inside = which.get(card.id);
        return inside
          ? { ...card, inside: Array.from({ length: inside }, (_, index) => ({ id: `${card.id}.${index}` })) }
          : card;
      }),
    }));
  const opening = fc.array(fc.tuple(fc.nat({ max: 4 }), fc.nat({ max: 19 }), fc.integer({ min: 1, max: 15 })), {
    maxLength: 4,
  });
  const openOf = (list: readonly (readonly [number, number, number])[]) =>
    new Map(list.map(([band, card, inside]) => [`${band}.${card}`, inside]));

  it("keeps cards apart and inside their layers, and a tray round what it holds", () => {
    fc.assert(
      fc.property(bands, opening, (list, open) => {
        const board = layBoard(opened(list, openOf(open)), OPTIONS);
        board.cards.forEach((a, index) => {
          expect(a.x + OPTIONS.cardWidth).toBeLessThanOrEqual(board.width);
          for (const b of board.cards.slice(index + 1))
            expect(Math.abs(a.x - b.x) >= OPTIONS.cardWidth || Math.abs(a.y - b.y) >= OPTIONS.cardHeight).toBe(true);
          const band = board.bands.find(({ id }) => id === `b${a.id.split(".")[0]}`);
          expect(band && a.y >= band.y && a.y + OPTIONS.cardHeight <= band.y + band.height).toBe(true);
        });
        for (const tray of board.trays)
          for (const card of board.cards) {
            const isInside = card.id.startsWith(`${tray.of}.`);
            const overlaps = card.y < tray.y + tray.height && card.y + OPTIONS.cardHeight > tray.y;
            expect(overlaps).toBe(isInside);
            if (isInside) expect(card.y >= tray.y && card.y + OPTIONS.cardHeight <= tray.y + tray.height).toBe(true);
          }
      }),
    );
  });
  it("moves nothing sideways when a group opens, nothing above it at all, and all below it by the same", () => {
    fc.assert(
      fc.property(bands, fc.nat({ max: 60 }), fc.integer({ min: 1, max: 15 }), (list, which, inside) => {
        const all = list.flatMap((band) => band.cards.map((card) => card.id));
        const id = all[which % all.length] as string;
        const before = layBoard(list, OPTIONS);
        const after = new Map(
          layBoard(opened(list, new Map([[id, inside]])), OPTIONS).cards.map((one) => [one.id, one]),
        );
        const at = before.cards.find((card) => card.id === id)?.y as number;
        const moved = new Set<number>();
        for (const card of before.cards) {
          const now = after.get(card.id);
          expect(now?.x).toBe(card.x);
          if (card.y <= at) expect(now?.y).toBe(card.y);
          else moved.add((now?.y ?? 0) - card.y);
        }
        expect(moved.size).toBeLessThanOrEqual(1);
      }),
    );
  });
});

describe("the order of layers", () => {
  it("puts what belongs together under each other", () => {
    const [top, below] = orderLayers(
      [
        ["a", "b", "c"],
        ["x", "y", "z"],
      ],
      [
        { from: "a", to: "z" },
        { from: "b", to: "x" },
        { from: "c", to: "y" },
      ],
    ) as [string[], string[]];
    for (const [one, other] of ["az", "bx", "cy"])
      expect(top.indexOf(one as string)).toBe(below.indexOf(other as string));
  });
  it("keeps what is fixed, loses nothing, and says the same of the same", () => {
    const layers = fc.array(fc.integer({ min: 0, max: 8 }), { maxLength: 5 });
    const links = fc.array(fc.tuple(fc.nat({ max: 40 }), fc.nat({ max: 40 })), { maxLength: 60 });
    fc.assert(
      fc.property(layers, links, (counts, pairs) => {
        let next = 0;
        const given = counts.map((count) => Array.from({ length: count }, () => `n${next++}`));
        const ends = pairs.map(([a, b]) => ({ from: `n${a}`, to: `n${b}` }));
        const ordered = orderLayers(given, ends, (layer) => layer === 1);
        expect(ordered.map((layer) => [...layer].sort())).toEqual(given.map((layer) => [...layer].sort()));
        expect(ordered[1]).toEqual(given[1]);
        expect(orderLayers(given, ends, (layer) => layer === 1)).toEqual(ordered);
      }),
    );
  });
});

const pair = fc.tuple(fc.nat({ max: 9 }), fc.nat({ max: 9 }));
const graphOf = (pairs: readonly (readonly [number, number])[]) =>
  new EstateGraph(pairs.map(([from, to]): Edge => ({ type: "talks-to", from, to })));

describe("ways and reach", () => {
  it("are as a plain search finds them, and join both ends or neither", () => {
    fc.assert(
      fc.property(fc.array(pair, { maxLength: 25 }), pair, (pairs, [from, to]) => {
        const way = between(graphOf(pairs), from, to);
        const back = between(graphOf(pairs), to, from);
        // In a circle there is a way of need in both directions, and each end has its own.
        expect(back === undefined).toBe(way === undefined);
        if (!way || !back) return;
        if (way.direction === "mixed" || back.direction !== "forward") expect(back.steps).toBe(way.steps);
        expect(way.ids.has(from) && way.ids.has(to)).toBe(true);
        // Down from one end and up from the other, each thing on the way is met by both.
        if (way.direction === "forward") {
          const down = reach(graphOf(pairs), from, { up: 0, down: way.steps });
          const up = reach(graphOf(pairs), to, { up: way.steps, down: 0 });
          for (const id of way.ids) expect(down.has(id) && up.has(id)).toBe(true);
          expect(reach(graphOf(pairs), from, { up: 0, down: way.steps - 1 }).has(to)).toBe(way.steps === 0);
        }
      }),
    );
  });
});

describe("structure", () => {
  const needsOf = (pairs: readonly (readonly [number, number])[]) => {
    const needs = new Map<number, number[]>();
    for (const [from, to] of pairs) needs.set(from, [...(needs.get(from) ?? []), to]);
    return needs;
  };
  const reachable = (pairs: readonly (readonly [number, number])[], from: number, without = -1) => {
    const seen = new Set(from === without ? [] : [from]);
    for (let grown = true; grown;) {
      grown = false;
      for (const [a, b] of pairs)
        if (seen.has(a) && !seen.has(b) && b !== without) {
          seen.add(b);
          grown = true;
        }
    }
    return seen;
  };
  it("says of dominators what leaving them out shows", () => {
    fc.assert(
      fc.property(fc.array(pair, { maxLength: 25 }), (pairs) => {
        const idom = dominators(needsOf(pairs), 0);
        expect(new Set(idom.keys())).toEqual(reachable(pairs, 0));
        for (const [node, dominator] of idom)
          if (node !== 0 && dominator !== 0) expect(reachable(pairs, 0, dominator).has(node)).toBe(false);
      }),
    );
  });
  it("says of circles that each of them reaches each", () => {
    fc.assert(
      fc.property(fc.array(pair, { maxLength: 25 }), (pairs) => {
        const found = cycles(needsOf(pairs));
        for (const set of found)
          for (const a of set) for (const b of set) expect(reachable(pairs, a).has(b)).toBe(true);
        const inside = new Set(found.flat());
        for (const [a, b] of pairs)
          if (a !== b && reachable(pairs, b).has(a)) expect(inside.has(a) && inside.has(b)).toBe(true);
      }),
    );
  });
  it("says of articulation points that others fall apart without them", () => {
    fc.assert(
      fc.property(fc.array(pair, { maxLength: 16 }), (pairs) => {
        const both = pairs.flatMap(([a, b]): [number, number][] => [
          [a, b],
          [b, a],
        ]);
        const points = articulationPoints(pairs);
        for (const node of new Set(pairs.flat())) {
          const mates = [...reachable(both, node)].filter((other) => other !== node);
          const left = mates[0] === undefined ? new Set() : reachable(both, mates[0], node);
          expect(points.has(node)).toBe(mates.some((mate) => !left.has(mate)));
        }
      }),
    );
  });
});
