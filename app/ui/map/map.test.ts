import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { MapCard, MapLinks } from "#server/pages/map";
import { CARD_HEIGHT, CARD_WIDTH, lineBetween, lineGroups } from "./lines";
import { detailOf, levelOf, wholeIn } from "./view";
import { shortened } from "./names";

const card = (x: number, y: number, severity: MapCard["severity"] = "cleared"): MapCard => ({
  componentId: 1,
  serviceUid: null,
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
  it("always begin and end on the edge of a card", () => {
    const place = fc.record({ x: fc.integer({ min: 0, max: 3000 }), y: fc.integer({ min: 0, max: 2000 }) });
    const onEdge = ([x, y]: number[], at: { x: number; y: number }) => {
      const [dx, dy] = [(x as number) - at.x, (y as number) - at.y];
      return (
        ((dx === 0 || dx === CARD_WIDTH) && dy >= 0 && dy <= CARD_HEIGHT) ||
        ((dy === 0 || dy === CARD_HEIGHT) && dx >= 0 && dx <= CARD_WIDTH)
      );
    };
    fc.assert(
      fc.property(place, place, (from, to) => {
        const { line, head } = lineBetween(from, to);
        return onEdge(startOf(line) as number[], from) && onEdge(tipOf(head) as number[], to);
      }),
    );
  });
});

describe("groups of lines", () => {
  const cards = [card(0, 0), card(200, 200), card(400, 200, "critical"), card(600, 200, "warning")];
  const links: MapLinks[] = [
    {
      type: "talks-to",
      ends: [
        [0, 1, 1],
        [0, 2, 1],
        [0, 3, 1],
        [0, 99, 1],
      ],
    },
    { type: "runs-on", ends: [[1, 0, 0]] },
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
  it("can be those of one card only", () => {
    expect(lineGroups(cards, links, 1).reduce((sum, { line }) => sum + count(line), 0)).toBe(2);
    expect(lineGroups(cards, links, 3)).toHaveLength(1);
  });
});

describe("the view of a map", () => {
  it("shows a drawing whole and in the middle, never larger than life", () => {
    expect(wholeIn({ width: 1000, height: 500 }, { width: 100, height: 100 })).toEqual({ k: 1, x: 450, y: 200 });
    const { k, x, y } = wholeIn({ width: 1000, height: 500 }, { width: 4000, height: 1000 });
    expect(k).toBeCloseTo(0.23);
    expect([x, y]).toEqual([40, (500 - 1000 * k) / 2].map((value) => expect.closeTo(value)));
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
