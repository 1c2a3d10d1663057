import type { Db } from "../store/database";
import { componentById, hostsWithAgent } from "../store/estate";
import { logCount } from "../store/logs";
import { allResources, countsOfResources, matchingRules } from "../store/resources";
import { readRetention } from "../store/retention";
import { listCredentials } from "../store/credentials";
import { endpoints } from "../store/endpoints";
import { jobWords } from "../store/jobs";
import { componentsWithFigures, logFigures } from "../store/log-figures";
import { kindOfCredential } from "../vault/kinds";

const MOST_SHOWN = 200;

/** Who sends signals, whom they were named to and why; what fits nobody first. */
export function signalsSetupPage(db: Db, _question: object) {
  const counts = countsOfResources(db);
  const resources = allResources(db).map((row) => ({
    id: row.id,
    attributes: Object.entries(JSON.parse(row.attributes) as Record<string, string>).map(([name, value]) => ({
      name,
      value,
    })),
    componentId: row.component_id,
    component: row.component_id === null ? null : (componentById(db, row.component_id)?.name ?? null),
    why: row.matched_by,
    firstMs: row.first_at,
    lastMs: row.last_at,
    series: counts.series.get(row.id) ?? 0,
    records: counts.records.get(row.id) ?? 0,
  }));
  const waiting = resources.filter((one) => one.componentId === null).sort((a, b) => b.lastMs - a.lastMs);
  const named = resources
    .filter((one) => one.componentId !== null)
    .sort((a, b) => (a.component ?? "").localeCompare(b.component ?? ""));
  return {
    agents: agentsOf(db, resources),
    waiting: waiting.slice(0, MOST_SHOWN),
    waitingCount: waiting.length,
    named: named.slice(0, MOST_SHOWN),
    namedCount: named.length,
    rules: matchingRules(db),
    pages: endpoints(db),
    jobWords: jobWords(db),
    figures: figuresOfLogs(db),
    credentials: listCredentials(db)
      .filter((one) => kindOfCredential(one.kind)?.serves === "http")
      .map(({ id, name, destinations }) => ({ id, name, destinations })),
    retention: readRetention(db),
    logs: logCount(db),
  };
}

/** Figures made of fields of log records, with how many components have each. */
function figuresOfLogs(db: Db) {
  const counts = componentsWithFigures(db);
  return logFigures(db).map((one) => ({ ...one, components: counts.get(one.id) ?? 0 }));
}

/** Hosts on which our agent runs. */
function agentsOf(
  db: Db,
  resources: readonly {
    componentId: number | null;
    lastMs: number;
    attributes: readonly { name: string; value: string }[];
  }[],
) {
  const lastHeard = new Map<number, number>();
  for (const { componentId, lastMs, attributes } of resources)
    if (componentId !== null && attributes.some((one) => one.name === "report.seconds"))
      lastHeard.set(componentId, Math.max(lastMs, lastHeard.get(componentId) ?? 0));
  return hostsWithAgent(db).map((row) => ({ ...row, lastMs: lastHeard.get(row.id) ?? null }));
}
