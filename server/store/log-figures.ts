import type { LogFigureFields } from "#core/telemetry/log-fields";
import { PersonError, prepared, type Db } from "./database";

export interface LogFigure extends Omit<LogFigureFields, "level"> {
  id: number;
  level: number;
  madeBy: string;
  madeAt: number;
}

/** Each figure looks at every record that comes in. */
const MOST_FIGURES = 50;

export const logFigures = (db: Db): LogFigure[] =>
  prepared<LogFigure>(
    db,
    "SELECT id, name, field, level, measure, minutes, made_by AS madeBy, made_at AS madeAt FROM log_figure ORDER BY name",
  ).all();

/** Makes a figure; one that is there is not changed, since its past would be of another. */
export function saveLogFigure(db: Db, given: LogFigureFields, by: string, atMs: number): number {
  const known = logFigures(db);
  if (known.some((one) => one.name.toLowerCase() === given.name.toLowerCase()))
    throw new PersonError(`There is a figure “${given.name}” already. Choose another name, or remove that one.`, {
      name: "This name is taken.",
    });
  if (known.length >= MOST_FIGURES)
    throw new PersonError(`There are ${MOST_FIGURES} figures from logs; each looks at every record. Remove one first.`);
  return Number(
    prepared(
      db,
      `INSERT INTO log_figure (name, field, level, measure, minutes, made_by, made_at) VALUES (?, ?, ?, ?, ?, ?, ?)`,
    ).run(given.name, given.field, Number(given.level), given.measure, given.minutes, by, atMs).lastInsertRowid,
  );
}

export function removeLogFigure(db: Db, id: number): void {
  prepared(db, "DELETE FROM log_figure WHERE id = ?").run(id);
}

/** How many components have each of the figures, by its id. */
export function componentsWithFigures(db: Db): Map<number, number> {
  const rows = prepared<{ id: number; count: number }>(
    db,
    `SELECT f.id, count(DISTINCT s.component_id) AS count FROM log_figure f JOIN series s
       ON (s.metric = 'log.distinct' AND s.instance = f.name)
       OR (s.metric = 'log.share' AND substr(s.instance, 1, length(f.name) + 2) = f.name || ': ')
     GROUP BY f.id`,
  ).all();
  return new Map(rows.map((row) => [row.id, row.count]));
}
