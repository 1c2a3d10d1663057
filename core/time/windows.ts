/** A span of time; both ends are epoch milliseconds in UTC, `fromMs` is before `toMs`. */
export interface TimeWindow {
  fromMs: number;
  toMs: number;
  /** True when the window ends at the present and moves with it. */
  live: boolean;
}

export const SECOND_MS = 1_000;
export const MINUTE_MS = 60_000;
export const HALF_HOUR_MS = 1_800_000;
export const HOUR_MS = 3_600_000;
export const DAY_MS = 86_400_000;
export const WEEK_MS = 7 * DAY_MS;

const DURATION = /^P(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$/;

/**
 * Reads an ISO 8601 duration made of weeks, days, hours, minutes and seconds.
 * Years and months are refused because their length depends on the calendar.
 * @returns milliseconds, or undefined when the text is not such a duration or is zero
 */
export function parseDurationMs(text: string): number | undefined {
  const match = DURATION.exec(text.trim());
  if (!match) return undefined;
  const [, weeks, days, hours, minutes, seconds] = match.map((part) => Number(part ?? 0));
  const total =
    (weeks ?? 0) * WEEK_MS +
    (days ?? 0) * DAY_MS +
    (hours ?? 0) * HOUR_MS +
    (minutes ?? 0) * MINUTE_MS +
    (seconds ?? 0) * SECOND_MS;
  return total > 0 ? total : undefined;
}

/** Writes milliseconds as an ISO 8601 duration in days, hours, minutes and seconds. */
export function toIsoDuration(ms: number): string {
  let rest = Math.round(ms / 1000);
  const days = Math.floor(rest / 86_400);
  rest -= days * 86_400;
  const hours = Math.floor(rest / 3600);
  rest -= hours * 3600;
  const minutes = Math.floor(rest / 60);
  const seconds = rest - minutes * 60;
  const time = `${hours ? `${hours}H` : ""}${minutes ? `${minutes}M` : ""}${seconds ? `${seconds}S` : ""}`;
  if (!days && !time) return "PT0S";
  return `P${days ? `${days}D` : ""}${time ? `T${time}` : ""}`;
}

const INSTANT = /^\d{4}-\d{2}-\d{2}(?:T\d{2}:\d{2}(?::\d{2}(?:\.\d{1,3})?)?(?:Z|[+-]\d{2}:\d{2})?)?$/;

/** Reads an ISO 8601 date or instant; without an offset it is UTC. */
export function parseInstant(text: string): number | undefined {
  const trimmed = text.trim();
  if (!INSTANT.test(trimmed)) return undefined;
  const zoned = /T.*(?:Z|[+-]\d{2}:\d{2})$/.test(trimmed) || !trimmed.includes("T") ? trimmed : `${trimmed}Z`;
  const at = Date.parse(zoned);
  return Number.isNaN(at) ? undefined : at;
}

export type WindowResult = { ok: true; window: TimeWindow } | { ok: false; problem: string; window: TimeWindow };

/** The longest window a page will show. */
export const LONGEST_WINDOW_MS = 366 * DAY_MS;

/**
 * The window of a page's address: `?from=…&to=…` (ISO 8601) or `?last=PT1H`; one hour up to now without either.
 * A window that cannot be used is answered with the default one and a sentence saying what is wrong.
 */
export function parseWindow(search: URLSearchParams, nowMs: number, defaultMs = HOUR_MS): WindowResult {
  const usual: TimeWindow = { fromMs: nowMs - defaultMs, toMs: nowMs, live: true };
  const refuse = (problem: string): WindowResult => ({ ok: false, problem, window: usual });
  const last = search.get("last");
  const from = search.get("from");
  const to = search.get("to");
  if (from === null && to === null) {
    if (last === null) return { ok: true, window: usual };
    const span = parseDurationMs(last);
    if (span === undefined)
      return refuse(
        `“${last.slice(0, 40)}” is not a length of time. Write it like PT1H (one hour), PT30M or P1D. Showing the last hour.`,
      );
    if (span > LONGEST_WINDOW_MS) return refuse("A window can be at most 366 days long. Showing the last hour.");
    return { ok: true, window: { fromMs: nowMs - span, toMs: nowMs, live: true } };
  }
  const fromMs = parseInstant(from ?? "");
  const toMs = to === null ? nowMs : parseInstant(to);
  if (fromMs === undefined || toMs === undefined)
    return refuse(
      "The window in the address cannot be read. Write from and to like 2026-03-04T10:00:00Z. Showing the last hour.",
    );
  if (toMs <= fromMs)
    return refuse(
      "The window ends before it starts. Swap from and to in the address, or drag the window on the ribbon. Showing the last hour.",
    );
  if (toMs - fromMs > LONGEST_WINDOW_MS) return refuse("A window can be at most 366 days long. Showing the last hour.");
  return { ok: true, window: { fromMs, toMs, live: false } };
}

const pad = (value: number, width = 2) => String(value).padStart(width, "0");
const WEEKDAYS = ["Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"] as const;
const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"] as const;

/** 14:03 */
export function clockTime(atMs: number, withSeconds = false): string {
  const date = new Date(atMs);
  return `${pad(date.getUTCHours())}:${pad(date.getUTCMinutes())}${withSeconds ? `:${pad(date.getUTCSeconds())}` : ""}`;
}

/** Tue 3 Mar */
export function dayName(atMs: number): string {
  const date = new Date(atMs);
  return `${WEEKDAYS[date.getUTCDay()]} ${date.getUTCDate()} ${MONTHS[date.getUTCMonth()]}`;
}

/** Tue 3 Mar 14:03, or only the time when it is the same UTC day as `nowMs`. */
export function dayAndTime(atMs: number, nowMs?: number, withSeconds = false): string {
  if (nowMs !== undefined && Math.floor(atMs / DAY_MS) === Math.floor(nowMs / DAY_MS))
    return clockTime(atMs, withSeconds);
  return `${dayName(atMs)} ${clockTime(atMs, withSeconds)}`;
}

/** "3 min", "2 h 5 min", "4 d 2 h": two largest units, for people. */
export function spokenDuration(ms: number): string {
  const seconds = Math.max(0, Math.round(ms / 1000));
  if (seconds < 60) return `${seconds} s`;
  const minutes = Math.floor(seconds / 60);
  if (minutes < 60) return seconds % 60 && minutes < 5 ? `${minutes} min ${seconds % 60} s` : `${minutes} min`;
  const hours = Math.floor(minutes / 60);
  if (hours < 24) return minutes % 60 ? `${hours} h ${minutes % 60} min` : `${hours} h`;
  const days = Math.floor(hours / 24);
  return hours % 24 ? `${days} d ${hours % 24} h` : `${days} d`;
}
