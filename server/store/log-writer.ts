import { patternText, PatternTree } from "#core/telemetry/patterns";
import { DAY_MS } from "#core/time/windows";
import { prepared, type Db } from "./database";
import { countLogs, forgetTallies, type Tally } from "./log-tallies";

/** A log record as it is kept. */
export interface NewLog {
  atMs: number;
  severity: number;
  resourceId: number;
  body: string;
  /** JSON, or null without attributes. */
  attributes: string | null;
  traceId: string | null;
  spanId: string | null;
}

/** Name of the full-text table of a day; the day is a number, so no text of anybody gets into SQL. */
export const logTextTable = (day: number): string => `log_text_${Math.trunc(day)}`;

/**
 * Keeps log records, the words in them and their patterns; call inside a transaction. After one that failed, make a new
 * writer: what this one learned meanwhile is not in the store.
 */
export class LogWriter {
  private readonly tree: PatternTree;
  private nextPattern: number;
  private nextId: number;
  private readonly days = new Set<number>();

  constructor(private readonly db: Db) {
    this.nextPattern =
      prepared<{ n: number }>(db, "SELECT coalesce(max(id), 0) + 1 AS n FROM log_pattern").get()?.n ?? 1;
    this.nextId =
      prepared<{ n: number }>(
        db,
        `SELECT max(coalesce((SELECT max(id) FROM log), 0), coalesce((SELECT max(last_id)
         FROM log_block), 0)) + 1 AS n`,
      ).get()?.n ?? 1;
    this.tree = new PatternTree(() => this.nextPattern++);
    for (const row of prepared<{ id: number; text: string }>(db, "SELECT id, text FROM log_pattern ORDER BY id").all())
      this.tree.restore(row.id, row.text);
    for (const row of prepared<{ day: number }>(db, "SELECT day FROM log_day").all()) this.days.add(row.day);
  }

  write(arrived: readonly NewLog[]): void {
    if (!arrived.length) return;
    // Numbers follow time as far as what came together goes, so that lists by number read in order.
    const records = [...arrived].sort((a, b) => a.atMs - b.atMs);
    const { db } = this;
    const insert = prepared(
      db,
      `INSERT INTO log (id, at, severity, resource_id, pattern_id, body, attributes, trace_id, span_id)
       VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
    );
    const counted: Omit<Tally, "count">[] = [];
    const perDay = new Map<number, number>();
    const firstId = this.nextId;
    let minAt = Number.POSITIVE_INFINITY;
    let maxAt = 0;
    const seen = new Map<number, { first: number; last: number; count: number }>();
    for (const record of records) {
      const { pattern, change } = this.tree.learn(record.body);
      if (change !== "none")
        prepared(
          db,
          `INSERT INTO log_pattern (id, text, first_at, last_at, count) VALUES (?, ?, ?, ?, 0)
           ON CONFLICT (id) DO UPDATE SET text = excluded.text`,
        ).run(pattern.id, patternText(pattern), record.atMs, record.atMs);
      const id = this.nextId++;
      insert.run(
        id,
        record.atMs,
        record.severity,
        record.resourceId,
        pattern.id,
        record.body,
        record.attributes,
        record.traceId,
        record.spanId,
      );
      const day = Math.floor(record.atMs / DAY_MS);
      this.textOf(day).run(id, record.body);
      perDay.set(day, (perDay.get(day) ?? 0) + 1);
      minAt = Math.min(minAt, record.atMs);
      maxAt = Math.max(maxAt, record.atMs);
      counted.push({
        atMs: record.atMs,
        patternId: pattern.id,
        resourceId: record.resourceId,
        severity: record.severity,
      });
      const own = seen.get(pattern.id);
      if (!own) seen.set(pattern.id, { first: record.atMs, last: record.atMs, count: 1 });
      else {
        own.first = Math.min(own.first, record.atMs);
        own.last = Math.max(own.last, record.atMs);
        own.count++;
      }
    }
    countLogs(db, counted);
    for (const [id, own] of seen)
      prepared(
        db,
        "UPDATE log_pattern SET count = count + ?, first_at = min(first_at, ?), last_at = max(last_at, ?) WHERE id = ?",
      ).run(own.count, own.first, own.last, id);
    for (const [day, count] of perDay)
      prepared(db, "UPDATE log_day SET count = count + ? WHERE day = ?").run(count, day);
    prepared(db, "INSERT INTO log_block (first_id, last_id, min_at, max_at) VALUES (?, ?, ?, ?)").run(
      firstId,
      this.nextId - 1,
      minAt,
      maxAt,
    );
  }

  private textOf(day: number) {
    if (!this.days.has(day)) {
      // The texts themselves stand in the table of records, so the index keeps words and numbers of records only.
      this.db.exec(
        `CREATE VIRTUAL TABLE IF NOT EXISTS ${logTextTable(day)} USING fts5 (body, content = '', columnsize = 0, detail = none, tokenize = "unicode61 remove_diacritics 2")`,
      );
      prepared(this.db, "INSERT INTO log_day (day, count) VALUES (?, 0) ON CONFLICT DO NOTHING").run(day);
      this.days.add(day);
    }
    return prepared(this.db, `INSERT INTO ${logTextTable(day)} (rowid, body) VALUES (?, ?)`);
  }

  /** Forgets records older than an instant, a few at a time; call inside a transaction. */
  forget(beforeMs: number, most = 20_000): void {
    const { db } = this;
    const block = prepared<{ first_id: number; last_id: number }>(
      db,
      "SELECT first_id, last_id FROM log_block WHERE max_at < ? ORDER BY first_id LIMIT 1",
    ).get(beforeMs);
    if (block) {
      prepared(db, "DELETE FROM log WHERE id BETWEEN ? AND ?").run(
        block.first_id,
        Math.min(block.last_id, block.first_id + most - 1),
      );
      if (block.last_id - block.first_id < most)
        prepared(db, "DELETE FROM log_block WHERE first_id = ?").run(block.first_id);
      else
        prepared(db, "UPDATE log_block SET first_id = ? WHERE first_id = ?").run(block.first_id + most, block.first_id);
    }
    forgetTallies(db, beforeMs);
    for (const { day } of prepared<{ day: number }>(db, "SELECT day FROM log_day WHERE day < ?").all(
      Math.floor(beforeMs / DAY_MS),
    )) {
      this.db.exec(`DROP TABLE IF EXISTS ${logTextTable(day)}`);
      prepared(db, "DELETE FROM log_day WHERE day = ?").run(day);
      this.days.delete(day);
    }
  }
}
