import type { Ticket } from "#core/changes/tickets";
import { prepared, type Db } from "./database";

interface Row {
  ref: string;
  title: string;
  state: string;
  person: string;
  fromMs: number | null;
  toMs: number | null;
  things: string;
  source: string;
}

export type KnownTicket = Ticket & { source: string };

const SELECT = `SELECT t.ref, t.title, t.state, t.person, t.from_at AS fromMs, t.to_at AS toMs, t.things, s.name AS source
  FROM ticket t JOIN source s ON s.id = t.source_id`;
const toTicket = (row: Row): KnownTicket => ({ ...row, things: JSON.parse(row.things) as string[] });

/** Brings the tickets of a source to the given ones; call inside a transaction or by itself. */
export function replaceTickets(db: Db, sourceId: number, tickets: readonly Ticket[], atMs: number): void {
  db.transaction(() => {
    prepared(db, "DELETE FROM ticket WHERE source_id = ?").run(sourceId);
    const insert = prepared(
      db,
      `INSERT INTO ticket (source_id, ref, title, state, person, from_at, to_at, things, read_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    );
    for (const { ref, title, state, person, fromMs, toMs, things } of tickets)
      insert.run(sourceId, ref, title, state, person, fromMs, toMs, JSON.stringify(things), atMs);
  })();
}

/** Windows that touch a span, those without a window too, and all of the given references. */
export const ticketsNear = (db: Db, fromMs: number, toMs: number, refs: Iterable<string>): KnownTicket[] =>
  prepared<Row>(
    db,
    `${SELECT} WHERE (coalesce(t.from_at, :to) <= :to AND coalesce(t.to_at, :from) >= :from)
       OR t.ref IN (SELECT value FROM json_each(:refs)) ORDER BY t.id`,
  )
    .all({ from: fromMs, to: toMs, refs: JSON.stringify([...refs]) })
    .map(toTicket);

/** Whether any source tells of tickets: without one, nothing can be said to lack one. */
export const hasTickets = (db: Db): boolean => prepared(db, "SELECT 1 FROM ticket LIMIT 1").get() !== undefined;
