import { ACCEPTABLE, loadOf, SHARES } from "#core/alarms/load";
import { severityRank } from "#core/alarms/severity";
import { metricName } from "#core/catalogue/metrics";
import { activeAlarms, alarmsIn, listRules, subjectKey, type AlarmRow } from "../store/alarms";
import type { Db } from "../store/database";
import { commentsOf, shelvesAt } from "../store/quiet";

/** Alarms that are counted at the most, and those that are listed. */
const MOST_COUNTED = 50_000;
const MOST_LISTED = 300;

/** The alarms that stand, what is kept quiet, and the load that alarms put on people in a window. */
export function alarmsPage(db: Db, { fromMs, toMs, atMs }: { fromMs: number; toMs: number; atMs: number }) {
  const standing = activeAlarms(db).sort(
    (a, b) => severityRank(b.severity) - severityRank(a.severity) || b.raised_at - a.raised_at,
  );
  const comments = commentsOf(
    db,
    standing.map((one) => one.id),
  );
  const counted = alarmsIn(db, fromMs, toMs, MOST_COUNTED);
  const load = loadOf(
    counted.map((one) => ({
      key: keyOf(one),
      ruleId: one.rule_id,
      severity: one.worst,
      raisedMs: one.raised_at,
      clearedMs: one.cleared_at,
    })),
    fromMs,
    toMs,
  );
  const rules = new Map(listRules(db).map((rule) => [rule.id, rule]));
  const named = new Map(counted.map((one) => [keyOf(one), one]));
  return {
    alarms: standing.slice(0, MOST_LISTED).map((one) => ({
      id: one.id,
      subject: one.subject,
      componentId: one.component_id,
      isService: one.subject_type === "service",
      severity: one.severity,
      text: one.text,
      raisedAt: one.raised_at,
      acknowledgedBy: one.acknowledged_by,
      quiet: one.quiet,
      quietUntil: one.quiet_until,
      comments: comments.filter((each) => each.alarm_id === one.id),
    })),
    total: standing.length,
    quiet: standing.filter((one) => one.quiet !== null).length,
    shelves: shelvesAt(db, atMs).map((one) => ({ ...one, name: nameOf(standing, one) })),
    load: {
      ...load,
      chattering: load.chattering.slice(0, 10).map(({ key, count }) => {
        const one = named.get(key);
        return { name: one ? `${one.subject}: ${metricName(one.metric)}` : key, count };
      }),
      worstRules: load.worstRules.map((one) => {
        const rule = rules.get(one.ruleId);
        return { ...one, name: rule?.name ?? "a rule that was removed", type: rule?.type ?? "" };
      }),
    },
    acceptable: ACCEPTABLE,
    shares: SHARES,
  };
}

const keyOf = (alarm: AlarmRow) =>
  `${subjectKey({ type: alarm.subject_type, id: alarm.subject_id })}|${alarm.alarm_type}|${alarm.qualifier}`;

function nameOf(standing: readonly AlarmRow[], shelf: ReturnType<typeof shelvesAt>[number]): string {
  const alarm = standing.find(
    (one) =>
      one.subject_type === shelf.subject.type &&
      one.subject_id === shelf.subject.id &&
      one.alarm_type === shelf.alarmType,
  );
  return alarm ? `${alarm.subject}: ${metricName(alarm.metric)}` : shelf.alarmType;
}
