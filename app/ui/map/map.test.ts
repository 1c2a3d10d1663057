import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { MapCard, MapLinks } from "#server/pages/map/page";
import { neighbourOf } from "./along";
import { CARD_HEIGHT, CARD_WIDTH, freeColumns, lineBetween, lineGroups, lineTargets } from "./lines";
import { detailOf, firstIn, levelOf, wholeIn } from "./view";
import { shortened } from "./names";

const card = (x: number, y: number, severity: MapCard["severity"] = "cleared"): MapCard => ({
  id: `c${x} ${y}`,
  componentId: 1,
  serviceUid: null,
  group: null,
  name: "n",
  sub: "",
  kind: "host",
  severity,
  reason: "",
  figure: "",
  x,
  y,
});

/** First and last point of an outline made of absolute starts and absolute or relative ends. */
const startOf = (line: string) => /^M(-?[\d.]+) (-?[\d.]+)/.exec(line)?.slice(1).map(Number);
const tipOf = (head: string) => /^M(-?[\d.]+) (-?[\d.]+)/.exec(head)?.slice(1).map(Number);

describe("lines between cards", () => {
  it("leave below and arrive above when the target is further down", () => {
    const { line, head } = lineBetween(card(0, 0), card(400, 200));
    expect(startOf(line)).toEqual([CARD_WIDTH / 2, CARD_HEIGHT]);
    expect(tipOf(head)).toEqual([400 + CARD_WIDTH / 2, 200]);
  });
  it("run straight between neighbours of a row, and beneath those between when they are far apart", () => {
    expect(lineBetween(card(0, 0), card(192, 0)).line).toBe(`M${CARD_WIDTH} 31H192`);
    expect(lineBetween(card(192, 0), card(0, 0)).line).toBe(`M192 31H${CARD_WIDTH}`);
    const far = lineBetween(card(0, 0), card(800, 0));
    expect(startOf(far.line)).toEqual([86, CARD_HEIGHT]);
    expect(tipOf(far.head)).toEqual([886, CARD_HEIGHT]);
  });
  it("begin and end on the edge of their cards and cross no other, whatever stands in the grid", () => {
    const STEP_X = CARD_WIDTH + 28;
    const STEP_Y = CARD_HEIGHT + 26;
    const spot = fc.record({ column: fc.integer({ min: 0, max: 6 }), row: fc.integer({ min: 0, max: 6 }) });
    /** Every point of a path, control points of its corners too. */
    const pointsOf = (line: string) => {
      const numbers = line.replaceAll(/H(-?[\d.]+)/g, (_all, x) => `L${x} ${/ (-?[\d.]+)H/.exec(line)?.[1]}`);
      return [...numbers.matchAll(/(-?[\d.]+) (-?[\d.]+)/g)].map(
        (match) => [Number(match[1]), Number(match[2])] as const,
      );
    };
    fc.assert(
      fc.property(
        fc.uniqueArray(spot, { minLength: 2, maxLength: 30, selector: ({ column, row }) => column * 10 + row }),
        fc.nat({ max: 20 }),
        (spots, lane) => {
          const cards = spots.map(({ column, row }) => card(column * STEP_X, row * STEP_Y));
          const [from, to] = cards as [MapCard, MapCard];
          const points = pointsOf(lineBetween(from, to, freeColumns(cards), lane).line);
          const onEdge = ([x, y]: readonly [number, number], at: MapCard) =>
            ((x === at.x || x === at.x + CARD_WIDTH) && y >= at.y && y <= at.y + CARD_HEIGHT) ||
            ((y === at.y || y === at.y + CARD_HEIGHT) && x >= at.x && x <= at.x + CARD_WIDTH);
          expect(onEdge(points[0] as [number, number], from)).toBe(true);
          expect(onEdge(points.at(-1) as [number, number], to)).toBe(true);
          for (const other of cards)
            for (let place = 1; place < points.length; place++) {
              const [[ax, ay], [bx, by]] = [points[place - 1] as [number, number], points[place] as [number, number]];
              const crosses =
                Math.max(ax, bx) > other.x &&
                Math.min(ax, bx) < other.x + CARD_WIDTH &&
                Math.max(ay, by) > other.y &&
                Math.min(ay, by) < other.y + CARD_HEIGHT;
              if (crosses) throw new Error(`the line crosses the card at ${other.x} ${other.y}`);
            }
        },
      ),
      { numRuns: 400 },
    );
  });
});

describe("groups of lines", () => {
  const cards = [card(0, 0), card(200, 200), card(400, 200, "critical"), card(600, 200, "warning")];
  const links: MapLinks[] = [
    {
      type: "talks-to",
      ends: [
        [0, 1, 1, 0, 0, 1, 0],
        [0, 2, 1, 0, 0, 1, 0],
        [0, 3, 1, 0, 0, 1, 0],
        [0, 99, 1, 0, 0, 1, 0],
      ],
    },
    { type: "runs-on", ends: [[1, 0, 0, 0, 0, 1, 0]] },
  ];
  const count = (text: string) => text.split("M").length - 1;

  it("gather lines that look alike, colour those towards what fails, and drop ends that are not shown", () => {
    const groups = lineGroups(cards, links);
    expect(groups.map(({ severity, line, heads }) => [severity, count(line), count(heads)])).toEqual([
      [null, 2, 2],
      ["critical", 1, 1],
      [null, 1, 0],
    ]);
    expect(groups[2]?.dash).toBeDefined();
  });
  it("thicken with what goes over a wire, where its port tells", () => {
    const wires = (...traffic: number[]): MapLinks[] => [
      { type: "wired-to", ends: traffic.map((bits, at) => [0, at + 1, 0, 0, 0, 1, bits]) },
    ];
    const widths = lineGroups(cards, wires(0, 5_000_000, 900_000_000)).map((group) => group.width);
    expect(widths).toEqual([0.8, 1.5, 3.5]);
    expect(lineTargets(cards, wires(5_000_000))[0]?.title).toBe("n is wired to n, 5 Mbit/s");
    expect(lineTargets(cards, wires(0))[0]?.title).toBe("n is wired to n");
  });
  it("can be those of one card only", () => {
    expect(lineGroups(cards, links, 1).reduce((sum, { line }) => sum + count(line), 0)).toBe(2);
    expect(lineGroups(cards, links, 3)).toHaveLength(1);
  });
});

describe("relations by themselves", () => {
  const cards = [card(0, 0), card(200, 200, "critical"), card(400, 200)];
  const links: MapLinks[] = [
    {
      type: "talks-to",
      ends: [
        [0, 1, 1, 1000, 0, 1, 0],
        [0, 2, 1, 200, 24, 3, 0],
      ],
    },
  ];
  it("fail where their own calls do, and not because what they lead to is unwell", () => {
    expect(lineTargets(cards, links).map((one) => one.failing)).toEqual([null, "12 % of calls fail"]);
    expect(lineGroups(cards, links).map((group) => group.severity)).toEqual([null, "major"]);
  });
  it("have an address for the panel, and say what went over them", () => {
    expect(lineTargets(cards, links)[1]).toMatchObject({
      key: "r~talks-to~c0 0~c400 200",
      title: "n talks to n, 200 calls, 12 % of calls fail",
    });
  });
});

describe("arrow keys", () => {
  const cards = [card(200, 0), card(0, 100), card(200, 100), card(400, 100), card(200, 200)];
  const links: MapLinks[] = [{ type: "talks-to", ends: [[0, 3, 1, 0, 0, 1, 0]] }];
  const go = (place: number, direction: Parameters<typeof neighbourOf>[3]) =>
    neighbourOf(cards, links, place, direction);
  it("go along relations first, and to the nearest card where there is none", () => {
    expect(go(0, "down")).toBe(3);
    expect(go(3, "up")).toBe(0);
    expect(go(2, "up")).toBe(0);
    expect(go(2, "down")).toBe(4);
  });
  it("go to the next card of a row, and nowhere at its end", () => {
    expect(go(1, "right")).toBe(2);
    expect(go(3, "left")).toBe(2);
    expect(go(3, "right")).toBeUndefined();
  });
});

describe("the view of a map", () => {
  it("shows a drawing whole and in the middle, never larger than life", () => {
    expect(wholeIn({ width: 1000, height: 500 }, { width: 100, height: 100 })).toEqual({ k: 1, x: 450, y: 200 });
    const { k, x, y } = wholeIn({ width: 1000, height: 500 }, { width: 4000, height: 1000 });
    expect(k).toBeCloseTo(0.23);
    expect([x, y]).toEqual([40, (500 - 1000 * k) / 2].map((value) => expect.closeTo(value)));
  });
  it("shows at first as much as can be read: a tall one from its upper edge on", () => {
    const frame = { width: 1000, height: 500 };
    expect(firstIn(frame, { width: 900, height: 450 })).toEqual(wholeIn(frame, { width: 900, height: 450 }));
    const { k, x, y } = firstIn(frame, { width: 1200, height: 3000 });
    expect([k, y]).toEqual([0.62, 20]);
    expect(x).toBeCloseTo((1000 - 1200 * 0.62) / 2);
  });
  it("says less on a card the smaller it is", () => {
    expect([1.8, 1, 0.75, 0.74, 0.33, 0.25, 0.24, 0.1].map((k) => detailOf(levelOf(k)))).toEqual([
      "full",
      "full",
      "full",
      "name",
      "name",
      "name",
      "mark",
      "mark",
    ]);
  });
  it("cuts a name in its middle, and only where it does not fit", () => {
    expect(shortened("nq-mfx-parse-01", 0.75)).toBe("nq-mfx-parse-01");
    expect(shortened("nq-mfx-parse-01", 0.33)).toBe("nq-…e-01");
    fc.assert(
      fc.property(
        fc.string({ minLength: 1, maxLength: 60 }),
        fc.constantFrom(0.25, 0.33, 0.42, 0.5, 0.6),
        (name, level) => {
          const short = shortened(name, level);
          return (
            short === name || (short.includes("…") && short.length < name.length && name.endsWith(short.slice(-1)))
          );
        },
      ),
    );
  });
});
