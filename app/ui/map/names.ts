import { CARD_HEIGHT, CARD_WIDTH } from "./lines";

/** Size of a letter of 11 pixels with the space round it, on the screen. */
const LETTER = 5.8;
const LINE = 13.2;

/** Letters in a line of a card at a scale, and lines. */
export const roomAt = (level: number) => ({
  across: Math.floor((CARD_WIDTH * level - 8) / LETTER),
  lines: Math.max(1, Math.floor((CARD_HEIGHT * level - 2) / LINE)),
});

/** A name cut in its middle to what fits on a card at a scale: hosts differ in how their names end. */
export function shortened(name: string, level: number): string {
  const { across, lines } = roomAt(level);
  const room = across * lines;
  if (name.length <= room) return name;
  const end = Math.floor(room * 0.65) - 1;
  return `${name.slice(0, room - end - 1)}…${name.slice(-end)}`;
}
