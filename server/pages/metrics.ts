import type { Exemplar } from "#core/drawing/chart";
import { metricName, metricTitle } from "#core/catalogue/metrics";
import { kindInfo } from "#core/catalogue/kinds";
import {
  aggregateLines,
  lineOf,
  niceStep,
  pickBest,
  summaryOf,
  summaryOfLine,
  type Line,
  type Summary,
} from "#core/telemetry/lines";
import { figureOf } from "#core/telemetry/summaries";
import { writeSelection, type Grouping, type Selection } from "#core/telemetry/selection";
import { finiteOrNull } from "#core/units/format";
import type { Db } from "../store/database";
import { countMetrics, countServiceMetrics, findSeries, hasWords, listMetrics, wordsOf } from "../store/find-series";
import { exemplarsOf } from "../store/exemplars";
import { ownedSeries, selectIds, transformedSpans, type OwnedSeries } from "../store/query";
import { listServices, membersAt } from "../store/services";
import { bestIn } from "../store/summaries";
import { legendOf, MOST_EXEMPLARS } from "./charts";
import { overlayOf, type Overlay } from "./overlay";

/** More lines than this are not drawn one by one; the highest are, and the page says so. */
const MOST_LINES = 24;
/** More series than this are not read for one page. */
const MOST_SERIES = 5000;
/** More points than this are not sent for one page, whatever the window and the number of lines. */
const MOST_POINTS = 24_000;

export interface DrawnLine {
  /** Which selection it comes from, and which of its lines it is. */
  selection: number;
  key: string;
  label: string;
  unit: string;
  axis: "left" | "right";
  componentId: number | null;
  /** Set when it is one series as it was measured. */
  seriesId: number | null;
  /** How many series went into it. */
  series: number;
  /** Start of the span, lowest, mean, highest. */
  points: [number, number | null, number | null, number | null][];
  /** The same at another time, laid over: start of the span here, mean there. */
  over: [number, number | null][];
  /** Single measurements with their traces, of lines that are one series as it was measured. */
  exemplars: Exemplar[];
  legend: { min: number | null; mean: number | null; max: number | null; last: number | null; count: number };
}

interface Worked {
  key: string;
  label: string;
  unit: string;
  componentId: number | null;
  seriesId: number | null;
  series: number;
  /** The series it is, where it is one as it was measured. */
  drawn: OwnedSeries | null;
  /** Draws it for a window; asked for the window itself and for others laid over it. */
  draw: (fromMs: number, toMs: number) => { line: Line; summary: Summary };
}

/** What series of a selection are called together with. */
export function ownerOf(series: OwnedSeries): string {
  return (
    series.component ?? series.service ?? (series.resource ? resourceName(series.resource) : `series ${series.id}`)
  );
}

function resourceName(attributes: string): string {
  const given = JSON.parse(attributes) as Record<string, unknown>;
  return String(given["service.instance.id"] ?? given["service.name"] ?? given["host.name"] ?? "unnamed sender");
}

const TRANSFORMED: Readonly<Record<string, string>> = { rate: "a second", change: "change of" };
const AGGREGATED: Readonly<Record<string, string>> = {
  mean: "mean",
  sum: "sum",
  min: "lowest",
  max: "highest",
  p50: "median",
  p90: "90th percentile",
  p95: "95th percentile",
  p99: "99th percentile",
};

const unitOf = (series: OwnedSeries, selection: Selection) =>
  selection.transform === "rate"
    ? series.unit === "1" || series.unit === ""
      ? "1/s"
      : series.unit === "By"
        ? "By/s"
        : `${series.unit}/s`
    : series.unit;

function titleOf(series: OwnedSeries, selection: Selection): string {
  const title = metricTitle(series.metric, series.instance);
  return selection.transform === "rate"
    ? `${title} ${TRANSFORMED.rate}`
    : selection.transform === "change"
      ? `${TRANSFORMED.change} ${title}`
      : title;
}

function groupOf(
  db: Db,
  by: Grouping | undefined,
  rows: readonly OwnedSeries[],
  atMs: number,
): Map<string, OwnedSeries[]> {
  const groups = new Map<string, OwnedSeries[]>();
  const put = (name: string, row: OwnedSeries) => groups.set(name, [...(groups.get(name) ?? []), row]);
  if (by === "service") {
    const names = new Map(listServices(db).map((service) => [service.id, service.name]));
    const servicesOf = new Map<number, string[]>();
    for (const member of membersAt(db, atMs))
      servicesOf.set(member.component_id, [
        ...(servicesOf.get(member.component_id) ?? []),
        names.get(member.service_id) ?? "",
      ]);
    for (const row of rows)
      for (const name of row.service ? [row.service] : (servicesOf.get(row.component_id ?? 0) ?? ["no service"]))
        put(name, row);
    return groups;
  }
  for (const row of rows) {
    if (by === undefined) put("", row);
    else if (by === "component") put(ownerOf(row), row);
    else if (by === "kind") put(row.kind === null ? "service" : kindInfo(row.kind).label, row);
    else if (by === "site") put(row.site ?? "no site", row);
    else put(row.instance || "no instance", row);
  }
  return groups;
}

/** The lines of one selection, not drawn yet. */
function linesOf(db: Db, selection: Selection, rows: readonly OwnedSeries[], stepMs: number, atMs: number): Worked[] {
  const transform = selection.transform ?? "value";
  if (!selection.aggregate)
    return rows.map((row) => ({
      key: `s${row.id}`,
      label: `${titleOf(row, selection)} · ${ownerOf(row)}`,
      unit: unitOf(row, selection),
      componentId: row.component_id,
      seriesId: row.id,
      drawn: transform === "value" ? row : null,
      series: 1,
      draw: (fromMs, toMs) => {
        const spans = transformedSpans(db, row, transform, fromMs, toMs, stepMs);
        return { line: lineOf(spans), summary: summaryOf(spans) };
      },
    }));
  const aggregate = selection.aggregate;
  return [...groupOf(db, selection.by, rows, atMs)].map(([name, members]) => {
    const first = members[0] as OwnedSeries;
    const instances = new Set(members.map((row) => row.instance));
    const what = instances.size === 1 ? titleOf(first, selection) : titleOf({ ...first, instance: "" }, selection);
    return {
      key: `g${name}`,
      label: `${what}, ${AGGREGATED[aggregate]} of ${members.length}${name ? ` · ${name}` : scopeOf(selection)}`,
      unit: unitOf(first, selection),
      componentId: selection.by === "component" ? first.component_id : null,
      seriesId: null,
      drawn: null,
      series: members.length,
      draw: (fromMs, toMs) => {
        const line = aggregateLines(
          members.map((row) => lineOf(transformedSpans(db, row, transform, fromMs, toMs, stepMs))),
          aggregate,
          transform !== "change" && (first.instrument !== "delta" || transform === "rate"),
        );
        return { line, summary: summaryOfLine(line) };
      },
    };
  });
}

const scopeOf = (selection: Selection) => {
  const parts = [selection.kind && kindInfo(selection.kind).label, selection.site, selection.service].filter(Boolean);
  return parts.length ? ` · ${parts.join(", ")}` : "";
};

type Drawn = { one: Worked; line: Line; summary: Summary };

/** The lines of one selection, drawn: all of them, or the few that are chosen of many. */
function drawnOf(
  db: Db,
  selection: Selection,
  ids: readonly number[],
  { fromMs, toMs, stepMs }: { fromMs: number; toMs: number; stepMs: number },
  notes: string[],
): Drawn[] {
  const draw = (one: Worked): Drawn => ({ one, ...one.draw(fromMs, toMs) });
  const linesFor = (some: readonly number[]) => linesOf(db, selection, ownedSeries(db, some), stepMs, toMs);
  const isPlain = !selection.aggregate && (selection.transform ?? "value") === "value";
  const worked = isPlain ? undefined : linesFor(ids);
  const total = worked?.length ?? ids.length;
  if (!selection.pick && total <= MOST_LINES) return (worked ?? linesFor(ids)).map(draw);
  const which = selection.pick ?? "highest";
  const rank = selection.rank ?? "mean";
  const most = Math.min(MOST_LINES, selection.count ?? 10);
  if (!selection.pick)
    notes.push(
      `${total} lines are too many to read: the ${most} with the highest mean are drawn. Aggregate them, or choose which.`,
    );
  if (worked) return pickBest(worked.map(draw), ({ summary }) => figureOf(summary, rank), which, most);
  // Ranked by summaries, which need no unpacking; only of the best is it read what they belong to, and only they are drawn.
  const best = bestIn(db, ids, (id) => id, fromMs, toMs, rank, which, most);
  const lines = new Map(linesFor(best).map((line) => [line.seriesId, line]));
  return best.flatMap((id) => lines.get(id) ?? []).map(draw);
}

/** Everything a page of metrics draws. */
export function metricsPage(
  db: Db,
  question: { selections: Selection[]; fromMs: number; toMs: number; width: number; overlay: Overlay },
) {
  const { fromMs, toMs, overlay } = question;
  const notes: string[] = [];
  const chosen = question.selections.map((selection) => {
    let ids = selectIds(db, selection, { fromMs, toMs });
    if (ids.length > MOST_SERIES) {
      notes.push(
        `${metricName(selection.metric ?? "")} is measured in ${ids.length} places; the first ${MOST_SERIES} are read. Narrow it down by kind, site or service.`,
      );
      ids = ids.slice(0, MOST_SERIES);
    }
    return { selection, ids };
  });
  // Few lines are drawn finely, many coarsely.
  const expected = chosen.reduce(
    (sum, { selection, ids }) => sum + (selection.aggregate ? 4 : Math.min(MOST_LINES, selection.count ?? ids.length)),
    0,
  );
  const stepMs = niceStep(
    toMs - fromMs,
    Math.min(question.width, Math.max(60, Math.floor(MOST_POINTS / Math.max(1, expected)))),
  );
  const lines: DrawnLine[] = [];
  chosen.forEach(({ selection, ids }, index) => {
    if (ids.length === 0)
      notes.push(
        selection.series
          ? `There is no series ${selection.series} any more.`
          : `Nothing is measured as “${selection.metric}”${scopeOf(selection)}.`,
      );
    const drawn = drawnOf(db, selection, ids, { fromMs, toMs, stepMs }, notes);
    for (const { one, line, summary } of drawn) {
      const { draw: _draw, drawn: _drawn, ...rest } = one;
      lines.push({
        ...rest,
        key: `${index}${one.key}`,
        selection: index,
        axis: selection.axis ?? "left",
        points: pointsOf(line),
        exemplars: one.drawn ? exemplarsOf(db, one.drawn, fromMs, toMs, MOST_EXEMPLARS) : [],
        over: overlayOf((from, to) => one.draw(from, to).line, overlay, fromMs, toMs),
        legend: legendOf(summary),
      });
    }
  });
  return { stepMs, lines, notes };
}

const pointsOf = (line: Line): DrawnLine["points"] =>
  Array.from(line.starts, (start, index) => [
    start,
    finiteOrNull(line.min[index] as number),
    finiteOrNull(line.mean[index] as number),
    finiteOrNull(line.max[index] as number),
  ]);

/** One choice when adding lines. */
export interface SeriesChoice {
  label: string;
  detail: string;
  selection: string;
}

/** What a few letters could mean: single series, and all of a metric by kind, site or service. */
export function seriesChoices(db: Db, { text }: { text: string }): SeriesChoice[] {
  const words = wordsOf(text);
  const counts = countMetrics(db);
  const choices: SeriesChoice[] = [];
  const add = (metric: string, where: string, hay: string, count: number, selection: Selection) => {
    if (count > 1 && hasWords(`${metricName(metric)} ${metric} ${hay}`.toLowerCase(), words))
      choices.push({
        label: `${metricName(metric)} · ${where}`,
        detail: `${count} series`,
        selection: writeSelection({ ...selection, metric }),
      });
  };
  const sumBy = (keyOf: (row: (typeof counts)[number]) => string) => {
    const sums = new Map<string, { row: (typeof counts)[number]; count: number }>();
    for (const row of counts) {
      const key = `${row.metric}|${keyOf(row)}`;
      const known = sums.get(key);
      if (known) known.count += row.count;
      else sums.set(key, { row, count: row.count });
    }
    return [...sums.values()];
  };
  for (const { row, count } of sumBy((one) => one.kind))
    add(
      row.metric,
      `every ${kindInfo(row.kind).label.toLowerCase()}`,
      `every all ${kindInfo(row.kind).label} ${row.kind}`,
      count,
      { kind: row.kind },
    );
  for (const { row, count } of sumBy((one) => one.site))
    add(row.metric, `everything at ${row.site}`, `every all ${row.site}`, count, { site: row.site });
  for (const { metric, uid, name, count } of countServiceMetrics(db))
    add(metric, `members of ${name}`, `every all members ${name}`, count, { service: uid });
  choices.sort((a, b) => a.label.length - b.label.length);
  const single = findSeries(db, words, 40).map((one): SeriesChoice => {
    const owner = one.owner.startsWith("{") ? resourceName(one.owner) : one.owner;
    return {
      label: `${metricTitle(one.metric, one.instance)} · ${owner}`,
      detail: one.kind === "service" ? "service" : `${kindInfo(one.kind).label}${one.site ? `, ${one.site}` : ""}`,
      selection: writeSelection({ series: one.id }),
    };
  });
  return [...choices.slice(0, 20), ...single];
}

/** Every metric that is measured, and in how many places. */
export function measuredPage(db: Db, _asked: object): { metric: string; count: number }[] {
  return listMetrics(db);
}
