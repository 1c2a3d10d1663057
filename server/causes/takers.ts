import { natureOf } from "#core/correlation/harm";
import type { SaidEvidence } from "#core/correlation/reasons";
import { attributesOfInstance } from "#core/telemetry/request-metrics";
import { MINUTE_MS } from "#core/time/windows";
import type { AlarmRow } from "../store/alarms";
import type { Db } from "../store/database";
import { componentById } from "../store/estate";
import { relationsTo } from "../store/relations";
import { readSamples, seriesById, seriesOfAll } from "../store/signals";
import { componentNode } from "./harm-map";

/** What was taken before is the mean of this stretch, which ends so long before messages began to pile up. */
const PAST_MS = 60 * MINUTE_MS;
const REST_MS = 5 * MINUTE_MS;
/** What is taken now is the mean of the last of these, or since they began to. */
const RECENT_MS = 3 * MINUTE_MS;
/** Who takes less than this part of what it took takes hardly anything any more. */
const HARDLY = 0.3;
/** A minute; of fewer nothing can be said. */
const LEAST_TAKEN = 1;
const STRENGTH = 0.9;
const MOST_QUEUES = 5;
const DESTINATION = "messaging.destination.name";
const TAKEN = "messaging.process.duration.count";

type Alarm = Pick<AlarmRow, "subject_type" | "subject_id" | "metric" | "onset_at" | "series_id">;

/**
 * Evidence against those who take messages from a queue that fills, where they take hardly any more: they may look well
 * and wait for something that never comes. Where more is handed over, they take as much as ever.
 */
export function takersOf(db: Db, alarms: readonly Alarm[], untilMs: number): (SaidEvidence & { alarms: number[] })[] {
  const found = new Map<number, SaidEvidence & { alarms: number[] }>();
  for (const alarm of alarms.filter((one) => natureOf(one.metric) === "queue").slice(0, MOST_QUEUES)) {
    const series = alarm.series_id === null ? undefined : seriesById(db, alarm.series_id);
    const queue = series && attributesOfInstance(series.instance)[DESTINATION];
    if (queue === undefined || alarm.subject_type !== "component") continue;
    const callers = relationsTo(db, [alarm.subject_id], alarm.onset_at).flatMap((one) =>
      one.type === "talks-to" ? [one.from_id] : [],
    );
    for (const [id, rows] of seriesOfAll(db, callers, [TAKEN])) {
      const own = rows.filter(({ instance }) => attributesOfInstance(instance)[DESTINATION] === queue);
      const perMinute = (fromMs: number, toMs: number) => {
        let taken = 0;
        for (const one of own) for (const value of readSamples(db, one.id, fromMs, toMs).values) taken += value;
        return (taken * MINUTE_MS) / (toMs - fromMs);
      };
      const before = perMinute(alarm.onset_at - REST_MS - PAST_MS, alarm.onset_at - REST_MS);
      const now = perMinute(Math.min(Math.max(alarm.onset_at, untilMs - RECENT_MS), untilMs - MINUTE_MS), untilMs);
      if (found.has(id) || before < LEAST_TAKEN || now > HARDLY * before) continue;
      found.set(id, {
        node: componentNode(id),
        nature: "failing",
        strength: STRENGTH,
        onsetMs: alarm.onset_at,
        isWeak: true,
        name: componentById(db, id)?.name ?? "",
        symptom: "Hardly any messages are taken any more",
        alarms: [],
      });
    }
  }
  return [...found.values()];
}
