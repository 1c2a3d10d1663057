import { DAY_MS, HOUR_MS, WEEK_MS } from "#core/time/windows";
import type { Rhythm } from "./scenario/schema";

/** Monday 5 January 1970, 00:00 UTC. */
const FIRST_MONDAY_MS = 4 * DAY_MS;
const CELL_MS = 5 * 60_000;
const CELLS = WEEK_MS / CELL_MS;

/** A level between 0 and 1 that follows the week or the tide, and its running total. */
export interface RhythmCurve {
  level(atMs: number): number;
  /** Integral of the level from 1970, in seconds. It never falls. */
  total(atMs: number): number;
}

export function makeRhythm(rhythm: Rhythm): RhythmCurve {
  if ("tide" in rhythm) {
    const { periodHours, depth } = rhythm.tide;
    const turn = (2 * Math.PI) / (periodHours * HOUR_MS);
    const middle = 1 - depth / 2;
    return {
      level: (atMs) => middle + (depth / 2) * Math.sin(turn * atMs),
      total: (atMs) => (middle * atMs - ((depth / 2) * (Math.cos(turn * atMs) - 1)) / turn) / 1000,
    };
  }
  const levels = new Float64Array(CELLS);
  const totals = new Float64Array(CELLS + 1);
  for (let cell = 0; cell < CELLS; cell++) {
    const at = (cell + 0.5) * CELL_MS;
    const day = Math.floor(at / DAY_MS);
    const hour = (at % DAY_MS) / HOUR_MS - 0.5;
    const low = Math.floor(hour);
    const part = hour - low;
    const levelOf = (index: number) =>
      (rhythm.hours[(index + 24) % 24] as number) * (rhythm.weekdays[(day + Math.floor(index / 24) + 7) % 7] as number);
    levels[cell] = levelOf(low) * (1 - part) + levelOf(low + 1) * part;
    totals[cell + 1] = (totals[cell] as number) + (levels[cell] as number) * (CELL_MS / 1000);
  }
  const week = totals[CELLS] as number;
  return {
    level(atMs) {
      const place = (((atMs - FIRST_MONDAY_MS) % WEEK_MS) + WEEK_MS) % WEEK_MS;
      const exact = place / CELL_MS - 0.5;
      const cell = Math.floor(exact);
      const part = exact - cell;
      return (levels[(cell + CELLS) % CELLS] as number) * (1 - part) + (levels[(cell + 1) % CELLS] as number) * part;
    },
    total(atMs) {
      const since = atMs - FIRST_MONDAY_MS;
      const weeks = Math.floor(since / WEEK_MS);
      const place = since - weeks * WEEK_MS;
      const cell = Math.floor(place / CELL_MS);
      return weeks * week + (totals[cell] as number) + (levels[cell] as number) * ((place - cell * CELL_MS) / 1000);
    },
  };
}

/** A number between 0 and 1 from two whole numbers; the same ones always give the same (Murmur3's finaliser). */
export function scatter(seed: number, index: number): number {
  let h = (seed ^ Math.imul(index, 0x9e3779b1)) | 0;
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return ((h ^ (h >>> 16)) >>> 0) / 4_294_967_296;
}

/** A seed for a name (FNV-1a). */
export function seedOf(text: string, seed: number): number {
  let h = 0x811c9dc5 ^ seed;
  for (let index = 0; index < text.length; index++) h = Math.imul(h ^ text.charCodeAt(index), 0x01000193);
  return h | 0;
}

/** Smooth noise between -1 and 1 that wanders over `periodMs` (value noise, cubic). */
export function wander(seed: number, atMs: number, periodMs: number): number {
  const exact = atMs / periodMs;
  const cell = Math.floor(exact);
  const part = exact - cell;
  const smooth = part * part * (3 - 2 * part);
  const a = scatter(seed, cell);
  return 2 * (a + (scatter(seed, cell + 1) - a) * smooth) - 1;
}
