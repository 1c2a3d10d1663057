import { MINUTE_MS } from "../time/windows";

/** What a host says that the time is. */
export interface SaidTime {
  atMs: number;
  /** It did not say of which zone: right but for whole quarters of an hour. */
  isLocal: boolean;
}

/** Zones lie whole quarters of an hour from UTC. */
const ZONE_STEP_MS = 15 * MINUTE_MS;

/**
 * DateAndTime of RFC 2579: eight octets of local time, three more where the distance from UTC is told.
 * @returns undefined where the octets are none
 */
export function readDateAndTime(octets: Uint8Array): SaidTime | undefined {
  if (octets.length !== 8 && octets.length !== 11) return undefined;
  const [high = 0, low = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0, tenth = 0] = octets;
  const year = high * 256 + low;
  if (year < 1970 || month < 1 || month > 12 || day < 1 || day > 31) return undefined;
  if (hour > 23 || minute > 59 || second > 60 || tenth > 9) return undefined;
  const localMs = Date.UTC(year, month - 1, day, hour, minute, second, tenth * 100);
  if (octets.length === 8) return { atMs: localMs, isLocal: true };
  const [sign = 0, hours = 0, minutes = 0] = octets.subarray(8);
  const direction = sign === 0x2b ? 1 : sign === 0x2d ? -1 : undefined;
  if (direction === undefined || hours > 14 || minutes > 59) return undefined;
  return { atMs: localMs - direction * (hours * 60 + minutes) * MINUTE_MS, isLocal: false };
}

/** The same as octets, in UTC: what an agent sends. */
export function writeDateAndTime(atMs: number): Uint8Array {
  const at = new Date(atMs);
  const year = at.getUTCFullYear();
  return Uint8Array.of(
    year >> 8,
    year & 255,
    at.getUTCMonth() + 1,
    at.getUTCDate(),
    at.getUTCHours(),
    at.getUTCMinutes(),
    at.getUTCSeconds(),
    Math.floor(at.getUTCMilliseconds() / 100),
    0x2b,
    0,
    0,
  );
}

/**
 * How far a host's clock is ahead of ours, milliseconds, negative where it is behind; 0 where it lies within the time
 * in which it was asked: the answer may be of any instant between.
 */
export function clockOffset({ atMs, isLocal }: SaidTime, askedMs: number, answeredMs: number): number {
  const off = atMs < askedMs ? atMs - askedMs : atMs > answeredMs ? atMs - answeredMs : 0;
  return isLocal ? off - Math.round(off / ZONE_STEP_MS) * ZONE_STEP_MS : off;
}
