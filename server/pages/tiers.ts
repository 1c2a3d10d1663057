import { severityRank, type Severity } from "#core/alarms/severity";
import { kindInfo, STRATA } from "#core/catalogue/kinds";
import { Sketch } from "#core/telemetry/sketch";
import { MINUTE_MS } from "#core/time/windows";
import { mostCalled, operationFigures } from "../store/call-figures";
import type { Db } from "../store/database";
import { componentsById, type ComponentRow } from "../store/estate";
import { resourcesOfAll } from "../store/resources";
import { healthAt, membersOf } from "../store/services";
import { operationsOf } from "../store/spans";
import { isAnswer } from "./traces";

interface Answered {
  calls: number;
  failed: number;
  p50Ms: number;
  p95Ms: number;
}

export interface Tier {
  label: string;
  kind: string;
  members: { id: number; name: string; severity: Severity; answered: Answered | null }[];
  unwell: number;
  answered: (Answered & { perMinute: number }) | null;
}

/**
 * The programs of a service from its entrance to its data, each with what its members answered in a window, so that the
 * slow or failing one shows itself. Hosts and what lies under them are no tiers.
 */
export function tiersOf(db: Db, serviceId: number, fromMs: number, atMs: number): Tier[] {
  const members = componentsById(
    db,
    membersOf(db, serviceId, atMs).map((row) => row.component_id),
  ).filter((row) => row.host_id !== null);
  const health = healthAt(db, "component", atMs);
  const senders = resourcesOfAll(
    db,
    members.map((row) => row.id),
  );
  const operations = operationsOf(db, senders.keys()).filter((one) => isAnswer(one.kind));
  const owner = new Map(operations.map((one) => [one.id, senders.get(one.resource_id)]));
  const counted = mostCalled(db, owner.keys(), fromMs, atMs);
  const figures = operationFigures(
    db,
    counted.map((one) => one.id),
    fromMs,
    atMs,
  );
  const answeredBy = (ids: ReadonlySet<number>): Answered | null => {
    const own = counted.filter((one) => ids.has(owner.get(one.id) ?? 0));
    if (!own.length) return null;
    const sketch = new Sketch();
    for (const { id } of own) {
      const one = figures.get(id);
      if (one) sketch.merge(one.sketch);
    }
    return {
      calls: own.reduce((sum, one) => sum + one.calls, 0),
      failed: own.reduce((sum, one) => sum + one.failed, 0),
      p50Ms: sketch.quantile(0.5) / 1000,
      p95Ms: sketch.quantile(0.95) / 1000,
    };
  };
  const tiers = new Map<string, ComponentRow[]>();
  for (const row of members) {
    const key = `${row.kind} ${row.label ?? row.name}`;
    tiers.set(key, [...(tiers.get(key) ?? []), row]);
  }
  const minutes = Math.max(1, (atMs - fromMs) / MINUTE_MS);
  const layer = (kind: string) => STRATA.findIndex(({ id }) => id === kindInfo(kind).stratum);
  return [...tiers.values()]
    .map((rows) => {
      const [first] = rows as [ComponentRow];
      const answered = answeredBy(new Set(rows.map((row) => row.id)));
      const list = rows
        .map((row) => ({
          id: row.id,
          name: row.name,
          severity: health.get(row.id)?.severity ?? ("cleared" as const),
          answered: answeredBy(new Set([row.id])),
        }))
        .sort(
          (a, b) =>
            severityRank(b.severity) - severityRank(a.severity) ||
            (b.answered?.p95Ms ?? 0) - (a.answered?.p95Ms ?? 0) ||
            a.name.localeCompare(b.name),
        );
      return {
        label: first.label ?? first.name,
        kind: first.kind,
        members: list,
        unwell: list.filter((one) => one.severity !== "cleared").length,
        answered: answered && { ...answered, perMinute: answered.calls / minutes },
      };
    })
    .sort((a, b) => layer(a.kind) - layer(b.kind) || a.label.localeCompare(b.label));
}
