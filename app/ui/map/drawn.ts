import { xmlText } from "#core/topology/graph-files";
import type { mapPage } from "#server/pages/map/page";
import { DAY } from "#core/drawing/tokens";
import { CARD_HEIGHT, CARD_WIDTH, lineGroups } from "./lines";
import { shortened } from "./names";

const TITLE = 40;
const FONT = 'font-family="system-ui, sans-serif"';

/** A map as an SVG picture by itself, by day. @param title what it is of, and when */
export function drawnMap(map: ReturnType<typeof mapPage>, title: string): string {
  const text = (x: number, y: number, size: number, words: string, more = "") =>
    `<text x="${x}" y="${y}" font-size="${size}" ${more}>${xmlText(words)}</text>`;
  const cards = map.cards.map((card) => {
    const well = card.severity === "cleared";
    const colour = well ? DAY.line : DAY.severity[card.severity];
    const state = well ? card.figure : card.group ? card.figure : card.severity;
    return [
      `<g transform="translate(${card.x} ${card.y})">`,
      `<rect width="${CARD_WIDTH}" height="${CARD_HEIGHT}" rx="4" fill="${DAY.surface}" stroke="${colour}" stroke-width="${well ? 1 : 2}"/>`,
      text(8, 18, 13, shortened(card.name, 0.75), 'font-weight="600"'),
      text(8, 36, 12, shortened(card.sub, 0.75), `fill="${DAY.quiet}"`),
      text(8, 53, 12, state, well ? "" : `fill="${colour}" font-weight="600"`),
      "</g>",
    ].join("");
  });
  return [
    `<svg xmlns="http://www.w3.org/2000/svg" width="${map.width}" height="${map.height + TITLE}" viewBox="0 0 ${map.width} ${map.height + TITLE}" ${FONT} fill="${DAY.text}">`,
    `<title>${xmlText(title)}</title>`,
    `<rect width="100%" height="100%" fill="${DAY.ground}"/>`,
    text(12, 26, 16, title, 'font-weight="600"'),
    `<g transform="translate(0 ${TITLE})">`,
    ...map.strata.map((band) =>
      [
        `<path d="M0 ${band.y}H${map.width}" stroke="${DAY.line}"/>`,
        ...words(band.label).map((line, index) => text(8, band.y + 16 + index * 14, 12, line, `fill="${DAY.quiet}"`)),
      ].join(""),
    ),
    ...map.trays.map(
      ({ x, y, width, height, label }) =>
        `<rect x="${x}" y="${y}" width="${width}" height="${height}" rx="4" fill="${DAY.quiet}" fill-opacity="0.08" stroke="${DAY.line}"/>${text(x + 8, y + 15, 12, label, `fill="${DAY.quiet}"`)}`,
    ),
    ...lineGroups(map.cards, map.links).map(
      ({ line, heads, width, dash, severity }) =>
        `<path d="${line}${heads}" fill="none" stroke="${severity ? DAY.severity[severity as "major"] : DAY.quiet}" stroke-opacity="${severity ? 0.9 : 0.45}" stroke-width="${width}"${dash ? ` stroke-dasharray="${dash}"` : ""}/>`,
    ),
    ...cards,
    "</g></svg>",
    "",
  ].join("\n");
}

/** A label in lines of about the width of the margin. */
function words(label: string): string[] {
  const lines: string[] = [];
  for (const word of label.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + word.length < 14) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}
