import type { Severity } from "../alarms/severity";
import type { Limit } from "../detection/threshold";

/** A single value that stands for many, with the trace it came from. */
export interface Exemplar {
  atMs: number;
  value: number;
  traceId: string;
}

export interface ChartMark {
  atMs: number;
  what: "alarm" | "change";
  severity?: Severity;
  text: string;
}

/** Everything a chart needs; points are [instant, minimum, mean, maximum], null where data is missing. */
export interface ChartData {
  seriesId: number;
  title: string;
  owner: string;
  metric: string;
  instance: string;
  unit: string;
  fromMs: number;
  toMs: number;
  points: [number, number | null, number | null, number | null][];
  limits: Limit[];
  marks: ChartMark[];
  legend: { min: number | null; mean: number | null; max: number | null; last: number | null; count: number };
  /** The same at another time, laid over: instant here, mean there. */
  over: [number, number | null][];
  exemplars: Exemplar[];
  /** What was usual, as it was learned at the time: instant, and the edges beyond which one in a million lies. */
  band: [number, number, number][];
}

/** "Memory used of nq-gate-app-02" */
export const titleOf = ({ title, owner }: Pick<ChartData, "title" | "owner">): string =>
  owner ? `${title} of ${owner}` : title;
