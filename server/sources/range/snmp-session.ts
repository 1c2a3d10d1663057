import snmp, { type Session } from "net-snmp";
import { keptText } from "#core/telemetry/text";
import { comesAfter } from "./oid";
import { inOrder, noteAnswer, openSession, rememberWay, type SnmpAccess } from "./snmp-access";

export interface SnmpTarget {
  address: string;
  port: number;
  /** Ways to speak to it, in the order in which they are tried. */
  access: readonly SnmpAccess[];
  /** Aborted when nobody waits for the answer any more. */
  signal?: AbortSignal;
}

/** An agent that did not answer, or answered with an error; the message is a reason for people. */
export class SnmpFailure extends Error {
  override name = "SnmpFailure";
}

export type Cell = number | bigint | Buffer | string | null;
export type Rows = Map<string, Map<number, Cell>>;

/** Conversations that know no getBulk (RFC 1157). */
const oldStyle = new WeakSet<Session>();

/**
 * A conversation with one agent in the first way that it answers; closed when the work is done. Only silence leads to the
 * next way: what an agent answers is its answer.
 */
export async function withSession<T>(
  target: SnmpTarget,
  timeoutMs: number,
  retries: number,
  work: (session: Session) => Promise<T>,
): Promise<T> {
  let failure: unknown = new SnmpFailure("There is no credential to ask with.");
  const ways = inOrder(target.address, target.port, target.access);
  for (const access of ways) {
    try {
      const result = await oneSession(target, access, timeoutMs, retries, work);
      noteAnswer(access, target.address);
      if (ways.length > 1) rememberWay(target.address, target.port, access);
      return result;
    } catch (error) {
      failure = error;
      if (target.signal?.aborted) break;
    }
  }
  throw failure;
}

async function oneSession<T>(
  target: SnmpTarget,
  access: SnmpAccess,
  timeoutMs: number,
  retries: number,
  work: (session: Session) => Promise<T>,
): Promise<T> {
  const session = openSession(target.address, target.port, access, timeoutMs, retries);
  if (access.version === "1") oldStyle.add(session);
  session.on("error", () => undefined);
  let open = true;
  const close = () => {
    if (open) session.close();
    open = false;
  };
  target.signal?.addEventListener("abort", close);
  try {
    if (target.signal?.aborted) throw new SnmpFailure("It was stopped.");
    return await work(session);
  } finally {
    target.signal?.removeEventListener("abort", close);
    close();
  }
}

interface Cells {
  oid: string;
  value: Cell;
  type: number;
}

/** What comes after some objects: a few rows at once, or one where the agent knows no better. */
function after(session: Session, oids: string[], repetitions: number): Promise<Cells[][]> {
  return new Promise((resolve, reject) => {
    if (oldStyle.has(session))
      session.getNext(oids, (error, bindings) => {
        // The end of what there is, as SNMP v1 says it.
        if ((error as Error | null)?.name === "RequestFailedError") return resolve(oids.map(() => []));
        if (error) return reject(new SnmpFailure(error.message));
        resolve(((bindings ?? []) as unknown as Cells[]).map((one) => [one]));
      });
    else
      session.getBulk(oids, 0, repetitions, (error, bindings) => {
        if (error) return reject(new SnmpFailure(error.message));
        resolve(bindings as unknown as Cells[][]);
      });
  });
}

export function get(session: Session, oids: string[]): Promise<Cell[]> {
  return new Promise((resolve, reject) => {
    session.get(oids, (error, bindings) => {
      if (error) return reject(new SnmpFailure(error.message));
      resolve((bindings ?? []).map((one) => (snmp.isVarbindError(one) ? null : (one.value as Cell))));
    });
  });
}

/** Of a table so many rows are read, about. */
export const MOST_ROWS = 4000;

/**
 * The columns of a table, rows by their index. All columns advance together, so a table of few rows is one question.
 */
export async function readTable(
  session: Session,
  table: string,
  columns: readonly number[],
  mostRows = MOST_ROWS,
): Promise<Rows> {
  const rows: Rows = new Map();
  const bases = columns.map((column) => `${table}.1.${column}.`);
  let places = bases.map((base, index) => ({ base, column: columns[index] as number, next: base.slice(0, -1) }));
  const repetitions = Math.max(4, Math.floor(48 / columns.length));
  while (places.length && rows.size < mostRows) {
    const answer = await after(
      session,
      places.map((place) => place.next),
      repetitions,
    );
    const going: typeof places = [];
    places.forEach((place, index) => {
      const found = answer[index] ?? [];
      let last = place.next;
      let inside = found.length > 0;
      for (const one of found) {
        if (snmp.isVarbindError(one as never) || !one.oid.startsWith(place.base)) {
          inside = false;
          break;
        }
        if (!comesAfter(one.oid, last))
          throw new SnmpFailure("Its SNMP agent is faulty: it lists the same objects again and again.");
        const key = one.oid.slice(place.base.length);
        let row = rows.get(key);
        if (!row) rows.set(key, (row = new Map()));
        row.set(place.column, one.value);
        last = one.oid;
      }
      if (inside && last !== place.next) going.push({ ...place, next: last });
    });
    places = going;
  }
  return rows;
}

/** A DisplayString has at most so many characters (RFC 2579). */
const MOST_TEXT = 255;
export const text = (cell: Cell | undefined): string =>
  cell === null || cell === undefined
    ? ""
    : Buffer.isBuffer(cell)
      ? keptText(cell.toString("utf8", 0, 4 * MOST_TEXT).replaceAll("\0", ""), MOST_TEXT)
      : keptText(String(cell), MOST_TEXT);
/** Counter64 comes as octets. */
export const number = (cell: Cell | undefined): number => {
  if (Buffer.isBuffer(cell)) return cell.reduce((sum, byte) => sum * 256 + byte, 0);
  return cell === null || cell === undefined ? 0 : Number(cell);
};
