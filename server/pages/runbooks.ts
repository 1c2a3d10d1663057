import { kindMatches } from "#core/catalogue/kinds";
import { isHostLike } from "#core/catalogue/kinds";
import type { Db } from "../store/database";
import { componentById, currentComponents } from "../store/estate";
import { incidentById } from "../store/incidents";
import { listRunbooks, listRuns, runbookById, runById, stepsOfRun } from "../store/runs";

export function runbooksPage(db: Db, { atMs }: { atMs: number }) {
  const runs = listRuns(db, 100, atMs);
  return {
    runbooks: listRunbooks(db).map((runbook) => ({
      ...runbook,
      runs: runs.filter((run) => run.runbook_id === runbook.id).length,
    })),
    runs,
  };
}

/** A runbook and the components it can be run on. */
export function runbookPage(db: Db, { id }: { id: number }) {
  const runbook = runbookById(db, id);
  if (!runbook) return null;
  const targets = currentComponents(db)
    .filter((row) => isHostLike(row.kind) && runbook.definition.kinds.some((pattern) => kindMatches(pattern, row.kind)))
    .map((row) => ({ id: row.id, name: row.name, address: row.address }))
    .sort((a, b) => a.name.localeCompare(b.name));
  return { runbook, targets };
}

export function runPage(db: Db, { id }: { id: number }) {
  const run = runById(db, id);
  if (!run) return null;
  return {
    run: { ...run, args: JSON.parse(run.args) as Record<string, string> },
    steps: stepsOfRun(db, id),
    target: componentById(db, run.component_id),
    incident: run.incident_id === null ? null : (incidentById(db, run.incident_id) ?? null),
  };
}
