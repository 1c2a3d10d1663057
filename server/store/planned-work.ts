import type { PlannedWork } from "#core/changes/planned-work";
import { prepared, type Db } from "./database";

export interface PlannedWorkRow {
  id: number;
  work: PlannedWork;
  by: string;
  /** When the window that was under way was ended before its time. */
  endedMs: number | null;
}

export const listPlannedWork = (db: Db): PlannedWorkRow[] =>
  prepared<Omit<PlannedWorkRow, "work"> & { definition: string }>(
    db,
    "SELECT id, definition, made_by AS by, ended_at AS endedMs FROM planned_work ORDER BY id",
  )
    .all()
    .map(({ definition, ...row }) => ({ ...row, work: JSON.parse(definition) as PlannedWork }));

export const plannedWorkById = (db: Db, id: number): PlannedWorkRow | undefined =>
  listPlannedWork(db).find((one) => one.id === id);

/** @returns its id */
export function savePlannedWork(db: Db, id: number | undefined, work: PlannedWork, by: string, atMs: number): number {
  const definition = JSON.stringify(work);
  if (id === undefined)
    return Number(
      prepared(db, "INSERT INTO planned_work (definition, made_by, made_at) VALUES (?, ?, ?)").run(definition, by, atMs)
        .lastInsertRowid,
    );
  prepared(db, "UPDATE planned_work SET definition = ?, made_by = ?, made_at = ?, ended_at = NULL WHERE id = ?").run(
    definition,
    by,
    atMs,
    id,
  );
  return id;
}

export function endPlannedWork(db: Db, id: number, atMs: number): void {
  prepared(db, "UPDATE planned_work SET ended_at = ? WHERE id = ?").run(atMs, id);
}

export function removePlannedWork(db: Db, id: number): void {
  prepared(db, "DELETE FROM planned_work WHERE id = ?").run(id);
}
