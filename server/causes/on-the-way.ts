import { lateLines, type Crossing } from "#core/correlation/on-the-way";
import type { SaidEvidence } from "#core/correlation/reasons";
import { MINUTE_MS } from "#core/time/windows";
import { formatValue } from "#core/units/format";
import { groupBy } from "#core/units/group";
import type { AlarmRow } from "../store/alarms";
import { componentById } from "../store/estate";
import type { Db } from "../store/database";
import { resourcesOf } from "../store/resources";
import { crossingsOf, MAKING, operationsOf } from "../store/spans";
import { lineName, lineNode, sitesOfLine } from "./harm-map";

/** Of so many that are slow it is looked at how long their calls are on their way, of each so many operations. */
const MOST_CALLERS = 8;
const MOST_OPERATIONS = 8;
const MOST_CALLS = 40;
/** What is usual is seen in this stretch, which ends so long before it began. */
const PAST_MS = 60 * MINUTE_MS;
const REST_MS = 5 * MINUTE_MS;
const STRENGTH = 0.9;

type Alarm = Pick<AlarmRow, "subject_type" | "subject_id" | "metric" | "onset_at">;

/**
 * Evidence against lines between sites on which calls of those that are slow spend far more time than before, by the
 * spans of both who calls and who answers.
 */
export function lateLinesOf(
  db: Db,
  alarms: readonly Alarm[],
  untilMs: number,
): (SaidEvidence & { alarms: number[] })[] {
  const slow = alarms.filter((one) => one.subject_type === "component" && one.metric === "calls.slow");
  if (slow.length === 0) return [];
  const onsetMs = Math.min(...slow.map((one) => one.onset_at));
  const crossings: Crossing[] = [];
  for (const id of [...new Set(slow.map((one) => one.subject_id ?? 0))].slice(0, MOST_CALLERS)) {
    const site = componentById(db, id)?.site;
    for (const one of operationsOf(db, resourcesOf(db, id))
      .filter(({ kind }) => MAKING.has(kind))
      .slice(0, MOST_OPERATIONS)) {
      const waysTo = (fromMs: number, toMs: number) =>
        groupBy(crossingsOf(db, one.id, fromMs, toMs, MOST_CALLS), ({ calleeId }) => calleeId);
      const before = waysTo(onsetMs - REST_MS - PAST_MS, onsetMs - REST_MS);
      for (const [callee, now] of waysTo(onsetMs, untilMs)) {
        const other = componentById(db, callee)?.site;
        if (site === undefined || other === undefined || other === site) continue;
        crossings.push({
          line: lineNode(site, other),
          nowMs: now.map(({ wayMs }) => wayMs),
          beforeMs: (before.get(callee) ?? []).map(({ wayMs }) => wayMs),
        });
      }
    }
  }
  return lateLines(crossings).flatMap(({ line, nowMs, beforeMs }) => {
    const sites = sitesOfLine(line);
    if (!sites) return [];
    const spoken = (ms: number) => formatValue(ms / 1000, "s");
    return [
      {
        node: line,
        nature: "network" as const,
        strength: STRENGTH,
        onsetMs,
        name: lineName(sites),
        symptom: `Calls are late (${spoken(nowMs)} on their way, ${spoken(beforeMs)} before)`,
        alarms: [],
      },
    ];
  });
}
