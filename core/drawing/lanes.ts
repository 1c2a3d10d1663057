import { severityRank, type Severity } from "../alarms/severity";

/** How long something was wrong, within what is drawn. */
export interface LaneBar {
  fromMs: number;
  /** The end of what is drawn, where it goes on. */
  toMs: number;
  isOver: boolean;
  severity: Severity;
  text: string;
}

export interface LaneMark {
  atMs: number;
  what: "change" | "log" | "act";
  text: string;
  /** What it is on; null for what people did. */
  componentId: number | null;
}

/** One part of an incident on the common time axis: when it was in alarm, and what else was on it. */
export interface Lane {
  key: string;
  name: string;
  componentId: number | null;
  isCause: boolean;
  bars: LaneBar[];
  marks: LaneMark[];
}

export interface LaneAlarm {
  /** Type and id of what it is on. */
  key: string;
  name: string;
  componentId: number | null;
  severity: Severity;
  text: string;
  onsetMs: number;
  clearedMs: number | null;
}

export interface LanesGiven {
  fromMs: number;
  toMs: number;
  alarms: readonly LaneAlarm[];
  marks: readonly LaneMark[];
  /** What is taken for the cause, likeliest first; with or without an alarm. */
  causes: readonly { componentId: number; name: string }[];
  /** Names of the components on which there are marks. */
  nameOf: (componentId: number) => string | undefined;
  most: number;
}

/** What people did: the lane of no component. */
export const ACTS = "acts";
const keyOf = (componentId: number) => `component:${componentId}`;

/**
 * What happened on each part of an incident, on one axis: acts of people first, then the causes, then what was in alarm
 * in the order in which it began, then what only changed or said something new.
 * @returns the lanes, and how many parts have no room
 */
export function lanesOf(given: LanesGiven): { lanes: Lane[]; more: number } {
  const { fromMs, toMs } = given;
  const lanes = new Map<string, Lane>();
  const laneOf = (key: string, name: string, componentId: number | null): Lane => {
    let lane = lanes.get(key);
    if (!lane) lanes.set(key, (lane = { key, name, componentId, isCause: false, bars: [], marks: [] }));
    return lane;
  };
  const marks = given.marks.filter((one) => one.atMs >= fromMs && one.atMs <= toMs);
  for (const mark of marks) if (mark.componentId === null) laneOf(ACTS, "People", null).marks.push(mark);
  for (const { componentId, name } of given.causes) laneOf(keyOf(componentId), name, componentId).isCause = true;
  for (const alarm of [...given.alarms].sort((a, b) => a.onsetMs - b.onsetMs)) {
    const end = Math.min(toMs, alarm.clearedMs ?? toMs);
    if (end < fromMs || alarm.onsetMs > toMs) continue;
    laneOf(alarm.key, alarm.name, alarm.componentId).bars.push({
      fromMs: Math.max(fromMs, alarm.onsetMs),
      toMs: end,
      isOver: alarm.clearedMs !== null && alarm.clearedMs <= toMs,
      severity: alarm.severity,
      text: alarm.text,
    });
  }
  for (const mark of [...marks].sort((a, b) => a.atMs - b.atMs)) {
    if (mark.componentId === null) continue;
    const name = given.nameOf(mark.componentId);
    const key = keyOf(mark.componentId);
    if (name !== undefined || lanes.has(key)) laneOf(key, name ?? "", mark.componentId).marks.push(mark);
  }
  // Where alarms of one part stand over each other, the worst is seen.
  for (const lane of lanes.values()) lane.bars.sort((a, b) => severityRank(a.severity) - severityRank(b.severity));
  const all = [...lanes.values()];
  return { lanes: all.slice(0, given.most), more: Math.max(0, all.length - given.most) };
}
