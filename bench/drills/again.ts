import { join } from "node:path";
import { byOnset, byPageRank } from "#core/correlation/baselines";
import { rankSuspects } from "#core/correlation/incidents";
import { EstateGraph } from "#core/topology/graph";
import { causesOf, evidenceOf } from "#server/causes/causes";
import { componentNode, componentOfNode, readHarmMap } from "#server/causes/harm-map";
import type { Subject } from "#server/store/alarms";
import { openStore, prepared } from "#server/store/database";
import { componentById } from "#server/store/estate";
import { alarmsOfIncident } from "#server/store/incidents";
import { relationsAt } from "#server/store/relations";
import { entriesByService, listServices } from "#server/store/services";
import type { Listener } from "./listen";
import type { CaseRecord } from "./page";
import { ranksOf, type SaidIncident, type Thing } from "./score";

/** Ranks of the roots of a case by plainer methods, for comparison, by host and by element. */
export type Baselines = Record<"order of onsets" | "personalised PageRank" | "points", CaseRanks>;

interface CaseRanks {
  hosts: number[];
  elements: number[];
}

/** Evidence that ended so long before the end of a case is none of it. */
const SPELL_MS = 15 * 60_000;

/**
 * Works the causes of a case out anew from the store that its run left: the same alarms and oddities, by the inference
 * as it is now.
 * @returns undefined where the store is not that of the case's run
 */
export function incidentsAgain(
  data: string,
  listener: Listener,
  record: CaseRecord,
  watchedMs: number,
): { incidents: SaidIncident[]; baselines: Baselines } | undefined {
  const db = openStore(join(data, "holotaxis.db"), "reader");
  try {
    const endMs = record.startedAtMs + watchedMs;
    const ids = record.said.alarms.map((one) => one.id);
    const known = prepared<{ id: number; at: number; incident: number | null }>(
      db,
      `SELECT a.id, a.raised_at AS at, j.incident_id AS incident FROM alarm a LEFT JOIN incident_alarm j ON j.alarm_id = a.id
       WHERE a.id IN (SELECT value FROM json_each(?))`,
    ).all(JSON.stringify(ids));
    if (
      known.length !== ids.length ||
      record.said.alarms.some((one) => !known.some((row) => row.at === one.raisedAtMs))
    )
      return undefined;
    const graph = new EstateGraph(
      relationsAt(db, record.startedAtMs).map((row) => ({ type: row.type, from: row.from_id, to: row.to_id })),
    );
    const harm = readHarmMap(db, graph, entriesByService(db, record.startedAtMs));
    const services = new Map(listServices(db).map((one) => [one.id, one.name]));
    const nameOf = ({ type, id }: Subject) =>
      (type === "component" ? componentById(db, id)?.name : services.get(id)) ?? `${type} ${id}`;
    // In the order in which the run told of them.
    const told = new Map(record.said.incidents.map((one, place) => [one.id, place]));
    const placeOf = (id: number) => told.get(id) ?? told.size + id;
    const incidents = [...new Set(known.flatMap((row) => row.incident ?? []))].sort((a, b) => placeOf(a) - placeOf(b));
    const by = { "order of onsets": [], "personalised PageRank": [], points: [] } as Record<keyof Baselines, Thing[][]>;
    const made = incidents.map((incident): SaidIncident => {
      const all = alarmsOfIncident(db, incident).filter((one) => one.raised_at <= endMs && one.quiet === null);
      const fresh = all.filter((one) => one.cleared_at === null || one.cleared_at > endMs - SPELL_MS);
      const before = record.said.incidents.find((one) => one.id === incident) ?? record.said.incidents[0];
      const evidence = evidenceOf(fresh);
      const things = (nodes: readonly string[]) => nodes.map((node) => listener.thing(componentOfNode(node) ?? null));
      by["order of onsets"].push(things(byOnset(evidence)));
      by["personalised PageRank"].push(things(byPageRank(harm.graph, evidence).slice(0, 10)));
      by.points.push(things(byPoints(fresh, graph)));
      return {
        id: incident,
        title: before?.title ?? "",
        openedAtMs: before?.openedAtMs ?? record.startedAtMs,
        services: before?.services ?? [],
        suspects: listener.suspects(causesOf(db, fresh, harm, nameOf, endMs)),
      };
    });
    const ranks = (method: keyof Baselines): CaseRanks => {
      const said = by[method].map((suspects) => ({ id: 0, title: "", openedAtMs: 0, services: [], suspects }));
      return {
        hosts: ranksOf(said, record.truth.roots, "host"),
        elements: ranksOf(said, record.truth.roots, "element"),
      };
    };
    return {
      incidents: made,
      baselines: {
        "order of onsets": ranks("order of onsets"),
        "personalised PageRank": ranks("personalised PageRank"),
        points: ranks("points"),
      },
    };
  } finally {
    db.close();
  }
}

/** The nodes of alarms by points: relied on by others in alarm, first, worst. */
function byPoints(alarms: ReturnType<typeof alarmsOfIncident>, graph: EstateGraph): string[] {
  const ids = new Set(alarms.flatMap((one) => one.component_id ?? []));
  const dependants = (id: number | null) =>
    id === null ? 0 : [...ids].filter((other) => other !== id && graph.reliedOn(other).has(id)).length;
  const ranked = rankSuspects(
    alarms.map((one) => ({
      alarmId: one.id,
      subjectName: one.subject,
      severity: one.worst,
      raisedMs: one.raised_at,
      text: one.text,
      dependants: dependants(one.component_id),
      isHarm: one.subject_type === "service",
    })),
  );
  return ranked.flatMap(({ alarmId }) => {
    const id = alarms.find((one) => one.id === alarmId)?.component_id;
    return id ? [componentNode(id)] : [];
  });
}
