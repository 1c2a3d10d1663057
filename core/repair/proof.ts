import { MINUTE_MS, spokenDuration } from "../time/windows";
import { formatValue } from "../units/format";
import type { Proof } from "./runbook";

/** A figure that showed the fault, or an alarm that stands on calls: before the run and since. */
export interface WatchedFigure {
  name: string;
  unit: string;
  /** Which way is wrong. */
  direction: "above" | "below";
  /** Median before the fault began; NaN where it was not measured then. */
  usual: number;
  /** As it was when the run began; NaN for what has no figure. */
  before: number;
  /** Samples since the run ended, in order of time. */
  after: readonly number[];
  /** Its alarm was cleared. */
  cleared: boolean;
  /** Of an alarm that stands on calls: those that began since, and whether they go as usual. */
  since?: { calls: number; bad: number; isEased: boolean } | undefined;
  /** The same for figures that show the same trouble of the same thing, which may speak for each other. */
  shows?: string;
  /** Which trouble it shows. */
  trouble?: string;
  /** `usual` is a limit that it is to be kept within. */
  isLimit?: boolean;
}

export interface ProofInput {
  figures: readonly WatchedFigure[];
  /** What was hurt by it: those that show the same trouble speak for what was not measured since. */
  witnesses?: readonly WatchedFigure[];
  /** Alarms, critical or major, that were raised since the run began on what relies on the target or on itself. */
  newAlarms: readonly string[];
  /** Since the run ended. */
  elapsedMs: number;
  /** So long it is watched. */
  watchMs: number;
}

/** After so long others speak for what was not measured since. */
const VOUCHED_MS = MINUTE_MS;
/** Samples in a row that must be well. */
const IN_A_ROW = 2;
/** Back so much of the way from the fault to the usual is well, and all of it to a limit; so much is eased, so much the other way worse. */
const WELL = 0.7;
const EASED = 0.3;
const WORSE = -0.3;

const mean = (values: readonly number[]) => values.reduce((sum, one) => sum + one, 0) / values.length;

/** How far a figure came back to its usual: 1 all the way, 0 not at all, negative when it got worse; NaN where it cannot be told. */
export function wayBack({ direction, usual, before, after }: WatchedFigure): number {
  const last = after.slice(-IN_A_ROW);
  if (last.length === 0 || Number.isNaN(before)) return Number.NaN;
  const sign = direction === "above" ? 1 : -1;
  const now = mean(last);
  const fault = Number.isNaN(usual) ? Math.abs(before) || 1 : Math.abs(before - usual) || 1;
  return (sign * (before - now)) / fault;
}

/**
 * How the figures stand after a run: proved when all are back near their usual for some samples in a row or their alarms
 * are cleared; at the end of the watch eased, without effect or worse. “watching” while it is too early to tell.
 */
export function proofOf({ figures, witnesses = [], newAlarms, elapsedMs, watchMs }: ProofInput): {
  proof: Proof;
  words: string;
} {
  if (figures.length === 0) return { proof: "not measured", words: "Nothing that showed the fault is measured." };
  const isVouched = elapsedMs >= VOUCHED_MS ? vouchedIn(figures, witnesses) : () => false;
  const ways = figures.map((one) => {
    const done = isDone(one) || isVouched(one);
    return { one, back: one.cleared || one.since?.isEased || isVouched(one) ? 1 : wayBack(one), isDone: done };
  });
  if (ways.every(({ isDone: done }) => done) && newAlarms.length === 0)
    return { proof: "proved", words: `After ${spokenDuration(elapsedMs)} ${said(spokenFor(figures, witnesses))}.` };
  if (elapsedMs < watchMs) return { proof: "watching", words: `Watched for ${spokenDuration(watchMs)}.` };
  const worse = ways.filter(({ back }) => back <= WORSE);
  if (worse.length > 0 || newAlarms.length > 0)
    return {
      proof: "worse",
      words: `After ${spokenDuration(elapsedMs)} ${[...worse.map(({ one }) => figureWords(one)), ...newAlarms.map((name) => `${name} was raised`)].join("; ")}.`,
    };
  const eased = ways.filter(({ back, isDone: done }) => done || back >= EASED);
  const rest = ways.filter(({ isDone: done }) => !done).map(({ one }) => one);
  if (eased.length === ways.length || eased.length > ways.length / 2)
    return { proof: "eased", words: `After ${spokenDuration(elapsedMs)} it eased, but ${said(rest)}.` };
  return { proof: "no effect", words: `After ${spokenDuration(elapsedMs)} ${said(rest)}.` };
}

function isDone(one: WatchedFigure): boolean {
  if (one.cleared || one.since?.isEased) return true;
  return one.after.length >= IN_A_ROW && wayBack(one) >= (one.isLimit ? 1 : WELL);
}

/** Whether it is known of all that showed the fault that nothing is better. */
export const isInVain = (figures: readonly WatchedFigure[]): boolean =>
  figures.length > 0 &&
  figures.every((one) => {
    if (one.cleared) return false;
    if (one.since) return !one.since.isEased;
    return one.after.length >= IN_A_ROW && wayBack(one) < EASED;
  });

const isSilent = (one: WatchedFigure) => !isDone(one) && one.since === undefined && one.after.length === 0;

/**
 * Whether a figure was not measured since, and others speak for it: as many that show the same trouble of the same thing
 * are back, or all that shows the same trouble of what was hurt by it.
 */
function vouchedIn(
  figures: readonly WatchedFigure[],
  witnesses: readonly WatchedFigure[],
): (one: WatchedFigure) => boolean {
  return (one) => {
    if (one.shows === undefined || !isSilent(one)) return false;
    const alike = figures.filter(({ shows }) => shows === one.shows);
    if (alike.some((it) => !isDone(it) && !isSilent(it))) return false;
    if (alike.filter(isDone).length >= alike.filter(isSilent).length) return true;
    const hurt = witnesses.filter(({ trouble }) => trouble !== undefined && trouble === one.trouble);
    return hurt.some(isDone) && hurt.every((it) => isDone(it) || isSilent(it));
  };
}

/** The figures that are back; for those that were not measured since, what speaks for them. */
function spokenFor(figures: readonly WatchedFigure[], witnesses: readonly WatchedFigure[]): WatchedFigure[] {
  const silent = figures.filter(isSilent);
  const rest = figures.filter((one) => !isSilent(one));
  return silent.length > 0 && rest.length === 0 ? witnesses.filter(isDone) : rest;
}

const said = (figures: readonly WatchedFigure[]): string => figures.slice(0, 4).map(figureWords).join("; ");

function figureWords(one: WatchedFigure): string {
  if (one.cleared) return `${one.name} cleared`;
  if (one.since) return `${one.name}: ${one.since.bad} of ${one.since.calls} calls since`;
  const last = one.after.slice(-IN_A_ROW);
  if (last.length === 0) return `${one.name} ${Number.isNaN(one.before) ? "still stands" : "was not measured since"}`;
  const value = (figure: number) => formatValue(figure, one.unit);
  const usual = Number.isNaN(one.usual) ? "" : `, ${one.isLimit ? "limit" : "usually"} ${value(one.usual)}`;
  return `${one.name} is ${value(mean(last))} (${value(one.before)} before${usual})`;
}
