import { metricInfo } from "#core/catalogue/metrics";
import type { AlarmRow, Subject } from "../store/alarms";

/** What an alarm is told of. */
export const subjectOf = (alarm: Pick<AlarmRow, "subject_type" | "subject_id">): Subject => ({
  type: alarm.subject_type,
  id: alarm.subject_id,
});

/** What is worked out over hours stands long after what it tells of. */
export const lagsBehind = ({ metric }: Pick<AlarmRow, "metric">) => metricInfo(metric).lags ?? false;
