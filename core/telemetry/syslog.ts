/** Reading syslog: RFC 5424, RFC 3164, and lines that obey neither. */

export interface SyslogMessage {
  /** Which form it has; `none` is kept whole. */
  form: "rfc5424" | "rfc3164" | "none";
  facility: number | null;
  /** 0 emergency to 7 debug (RFC 5424 §6.2.1). */
  severity: number | null;
  /** Epoch milliseconds; null when it says none. */
  atMs: number | null;
  /** Whether that time says in which zone it is; else it is taken as UTC. */
  isZoned: boolean;
  host: string;
  app: string;
  process: string;
  messageId: string;
  /** Structured data as "id.name" (RFC 5424 §6.3). */
  data: [name: string, value: string][];
  text: string;
}

const MONTHS = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];
const HEAD = /^<(\d{1,3})>/;
const NEW_HEAD = /^1 (\S+) (\S{1,255}) (\S{1,48}) (\S{1,128}) (\S{1,32}) /;
/** "Mar  7 10:00:00 ", with a year, a fraction, a zone that is UTC, a sign that says the clock is not set, a colon. */
const OLD_STAMP =
  /^(?:\d+: )?[*.]?(?:(\d{4}) )?([A-Z][a-z]{2}) {1,2}(\d{1,2}) (?:(\d{4}) )?(\d\d):(\d\d):(\d\d)(?:[.,](\d{1,9}))?( (?:UTC|GMT|Z))?:? /;
const ISO_STAMP = /^(\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(?:\.\d{1,9})?(?:Z|[+-]\d\d:\d\d)) /;
/** A name with its process in brackets, which may hold blanks and colons; or a name alone before a colon. */
const TAG = /^(?:([^\s[\]:][^[\]\n]{0,62}?)\[([^\]]{1,32})\]: ?|([\w./%-]{1,64}(?:::[\w./-]{1,32})*):(?: |$))/;

/** A tag without blanks, where the host should be. */
const TAG_FIRST = /^(?:[^\s[\]]{1,64}\[[^\]\s]{1,32}\]|[\w./%-]{1,64}(?:::[\w./-]{1,32})*):(?: |$)/;

const or = (value: string | undefined): string => (value === undefined || value === "-" ? "" : value);

/**
 * Reads one message.
 * @param nowMs present instant: RFC 3164 leaves the year out, so the nearest one is taken; its times are taken as UTC
 */
export function readSyslog(line: string, nowMs: number): SyslogMessage {
  const whole: SyslogMessage = {
    form: "none",
    facility: null,
    severity: null,
    atMs: null,
    isZoned: true,
    host: "",
    app: "",
    process: "",
    messageId: "",
    data: [],
    text: line,
  };
  const head = HEAD.exec(line);
  const priority = Number(head?.[1]);
  // Facilities are 0 to 23, so the highest priority is 191 (RFC 5424 §6.2.1); leading zeros are not allowed.
  // A line without one obeys RFC 3164 (§4.3.3) when its stamp does.
  if (!head) return readOld(line, whole, nowMs) ?? whole;
  if (priority > 191 || (head[1] as string).length !== String(priority).length) return whole;
  const known = { ...whole, facility: priority >> 3, severity: priority & 7 };
  const rest = line.slice(head[0].length);
  return readNew(rest, known) ?? readOld(rest, known, nowMs) ?? { ...known, text: rest };
}

function readNew(rest: string, known: SyslogMessage): SyslogMessage | undefined {
  const head = NEW_HEAD.exec(rest);
  if (!head) return undefined;
  const [, time, host, app, process, messageId] = head as unknown as string[];
  const atMs = time === "-" ? null : Date.parse(time as string);
  if (Number.isNaN(atMs)) return undefined;
  const after = readData(rest.slice(head[0].length));
  if (!after) return undefined;
  // A message may begin with a byte order mark, which says that it is UTF-8.
  // Relays that pass on an older message leave the blank in front of it.
  const text = after.rest.startsWith(" ")
    ? after.rest
        .slice(1)
        .replace(/^\uFEFF/, "")
        .replace(/^ /, "")
    : after.rest;
  return {
    ...known,
    form: "rfc5424",
    atMs,
    host: or(host),
    app: or(app),
    process: or(process),
    messageId: or(messageId),
    data: after.data,
    text,
  };
}

/**
 * Structured data: a hyphen, or elements in brackets with quoted values in which quote, backslash and bracket are
 * escaped.
 */
function readData(text: string): { data: [string, string][]; rest: string } | undefined {
  if (text.startsWith("-")) return text.length === 1 || text[1] === " " ? { data: [], rest: text.slice(1) } : undefined;
  const data: [string, string][] = [];
  let place = 0;
  while (text[place] === "[") {
    const id = /^[^\s="\]]{1,32}/.exec(text.slice(place + 1, place + 34))?.[0];
    if (!id) return undefined;
    place += 1 + id.length;
    while (text[place] === " ") {
      const name = /^ ([^\s="\]]{1,32})="/.exec(text.slice(place, place + 40));
      if (!name) return undefined;
      place += name[0].length;
      let value = "";
      for (;;) {
        const sign = text[place];
        if (sign === undefined) return undefined;
        if (sign === "\\" && /["\\\]]/.test(text[place + 1] ?? "")) {
          value += text[place + 1];
          place += 2;
        } else if (sign === '"') {
          place++;
          break;
        } else {
          value += sign;
          place++;
        }
      }
      data.push([`${id}.${name[1]}`, value]);
    }
    if (text[place] !== "]") return undefined;
    if (!data.some(([name]) => name.startsWith(`${id}.`))) data.push([id, ""]);
    place++;
  }
  if (place === 0) return undefined;
  const rest = text.slice(place);
  return rest === "" || rest.startsWith(" ") ? { data, rest } : undefined;
}

/**
 * The older form, as programs really write it: with the year before or after the day, with fractions of a second, with
 * the stamp of RFC 3339 that relays prefer, and without a host.
 */
function readOld(rest: string, known: SyslogMessage, nowMs: number): SyslogMessage | undefined {
  const stamp = isoStamp(rest) ?? oldStamp(rest, nowMs);
  if (!stamp) return undefined;
  const after = rest.slice(stamp.length);
  // Where a tag stands in the host's place, there is no host: HAProxy writes so, and what runs on the receiver itself.
  const host = TAG_FIRST.test(after) ? "" : (/^(\S+) /.exec(after)?.[1] ?? "");
  const body = host ? after.slice(host.length + 1) : after;
  const tag = TAG.exec(body);
  return {
    ...known,
    form: "rfc3164",
    atMs: stamp.atMs,
    isZoned: stamp.isZoned,
    host: host.replace(/:$/, ""),
    app: tag?.[1] ?? tag?.[3] ?? "",
    process: tag?.[2] ?? "",
    text: tag ? body.slice(tag[0].length) : body,
  };
}

interface Stamp {
  atMs: number;
  isZoned: boolean;
  length: number;
}

function isoStamp(rest: string): Stamp | undefined {
  const found = ISO_STAMP.exec(rest);
  const atMs = Date.parse(found?.[1] ?? "");
  return found && !Number.isNaN(atMs) ? { atMs, isZoned: true, length: found[0].length } : undefined;
}

function oldStamp(rest: string, nowMs: number): Stamp | undefined {
  const found = OLD_STAMP.exec(rest);
  if (!found) return undefined;
  const [whole, yearBefore, monthName = "", day, yearAfter, hour, minute, second, fraction, zone] = found;
  const month = MONTHS.indexOf(monthName);
  if (month < 0) return undefined;
  const inYear = (one: number) =>
    Date.UTC(one, month, Number(day), Number(hour), Number(minute), Number(second)) +
    Math.floor(Number(`0.${fraction ?? 0}`) * 1000);
  const stated = yearBefore ?? yearAfter;
  const year = new Date(nowMs).getUTCFullYear();
  const atMs =
    stated === undefined
      ? // New year lies between sender and receiver when this year's date would be far off.
        ([year, year - 1, year + 1].map(inYear).sort((a, b) => Math.abs(a - nowMs) - Math.abs(b - nowMs))[0] as number)
      : inYear(Number(stated));
  return { atMs, isZoned: zone !== undefined, length: whole.length };
}

/** OpenTelemetry severity number of a syslog severity (OpenTelemetry logs data model, appendix B "Syslog"). */
export const severityOfSyslog = (severity: number | null): number =>
  [21, 19, 18, 17, 13, 10, 9, 5][severity ?? -1] ?? 0;

/**
 * Cuts a stream into messages (RFC 6587): by octet counting where a message begins with its length, else by line ends.
 * What is not complete yet waits for more; a message longer than `longest` bytes is cut there.
 */
export class SyslogFraming {
  private rest: Uint8Array = new Uint8Array(0);
  constructor(private readonly longest = 65_536) {}

  push(bytes: Uint8Array): Uint8Array[] {
    let data = bytes;
    if (this.rest.length) {
      data = new Uint8Array(this.rest.length + bytes.length);
      data.set(this.rest);
      data.set(bytes, this.rest.length);
    }
    const messages: Uint8Array[] = [];
    let place = 0;
    for (;;) {
      // Line ends between counted messages are let pass.
      while (place < data.length && (data[place] === 10 || data[place] === 13)) place++;
      const counted = countAt(data, place);
      if (counted === "more") break;
      if (counted) {
        const end = counted.start + counted.length;
        const most = Math.min(end, counted.start + this.longest);
        if (data.length < most) break;
        messages.push(data.subarray(counted.start, most));
        place = Math.min(end, data.length);
        if (data.length < end) this.skip = end - data.length;
        continue;
      }
      const end = data.indexOf(10, place);
      if (end < 0 && data.length - place < this.longest) break;
      const stop = end < 0 ? place + this.longest : end;
      const message = data.subarray(place, data[stop - 1] === 13 ? stop - 1 : stop);
      if (message.length) messages.push(message);
      place = end < 0 ? stop : end + 1;
    }
    this.rest = data.slice(place);
    return messages;
  }
  /** Bytes of a cut message that are still to come. */
  private skip = 0;

  /** What was left when the stream ended. */
  end(): Uint8Array[] {
    const last = this.rest;
    this.rest = new Uint8Array(0);
    return last.length ? [last] : [];
  }

  /** Drops the rest of a message that was too long. */
  take(bytes: Uint8Array): Uint8Array[] {
    if (this.skip >= bytes.length) {
      this.skip -= bytes.length;
      return [];
    }
    const fresh = bytes.subarray(this.skip);
    this.skip = 0;
    return this.push(fresh);
  }
}

/** The length a message begins with, as MSG-LEN SP (RFC 6587 §3.4.1); `more` when it may still become one. */
function countAt(data: Uint8Array, place: number): { start: number; length: number } | "more" | undefined {
  let length = 0;
  for (let index = place; index < place + 8; index++) {
    const byte = data[index];
    if (byte === undefined) return index > place || place === data.length ? "more" : undefined;
    if (byte === 32 && index > place)
      return data[index + 1] === undefined ? "more" : data[index + 1] === 60 ? { start: index + 1, length } : undefined;
    if (byte < 48 || byte > 57 || (index === place && byte === 48)) return undefined;
    length = length * 10 + byte - 48;
  }
  return undefined;
}
