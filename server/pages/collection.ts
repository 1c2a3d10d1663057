import { severityRank, SEVERITIES } from "#core/alarms/severity";
import { kindInfo } from "#core/catalogue/kinds";
import { metricInfo } from "#core/catalogue/metrics";
import { together, topOf, type Measured } from "#core/estate/together";
import { monthName } from "#core/units/money";
import { cubeOf } from "../spend/cube-of";
import { prepared, type Db } from "../store/database";
import { idsFitting } from "../store/estate-list";
import { collections, filterOfCollection } from "../store/labels";
import { spansOf } from "../store/query";
import { healthAt } from "../store/services";
import { lastSample, seriesOfMetrics } from "../store/signals";
import { hasSpend, reportCurrency } from "../store/spend";
import { RECENT_MS } from "./guests";
import { monthOfSpend } from "./spend";

/** What collections are measured by, in this order; of each only where anything of it is measured. */
const METRICS = [
  "cpu.used",
  "guest.cpu.used",
  "memory.used",
  "net.in",
  "net.out",
  "guest.net.in",
  "guest.net.out",
  "response",
  "container.cpu.usage",
  "container.memory.used",
  "process.memory",
  "volume.latency",
  "balancer.requests",
  "database.connections",
  "node.pods",
  "guests.running",
];
const MOST_METRICS = 8;
const TOP = 10;
const MOST_WORST = 12;
const TREND_POINTS = 24;
/** Of more, those found first are measured; the page says so. */
const MOST_MEASURED = 3000;

export interface CollectionQuestion {
  id: number;
  metric: string;
  atMs: number;
  fromMs: number;
  toMs: number;
}

interface Member {
  id: number;
  name: string;
  kind: string;
  site: string;
}

/** A collection, watched as one: how many, how they are, what they do together, and who does most of it. */
export function collectionPage(db: Db, question: CollectionQuestion) {
  const { id, atMs, fromMs, toMs } = question;
  const collection = collections(db).find((one) => one.id === id);
  if (!collection) return null;
  const ids = idsFitting(db, { ...filterOfCollection(collection.filter), atMs });
  const members = new Map(
    prepared<Member>(db, "SELECT id, name, kind, site FROM component WHERE id IN (SELECT value FROM json_each(?))")
      .all(JSON.stringify(ids))
      .map((one) => [one.id, one]),
  );
  const health = healthAt(db, "component", atMs);
  const worst = [...members.values()]
    .flatMap((one) => {
      const row = health.get(one.id);
      return row ? [{ ...one, severity: row.severity, reason: row.reason, since: row.valid_from }] : [];
    })
    .sort((a, b) => severityRank(b.severity) - severityRank(a.severity) || a.since - b.since);
  const measured = ids.slice(0, MOST_MEASURED);
  const series = seriesOfMetrics(db, measured, METRICS);
  const valuesOf = (metric: string): Measured[] =>
    measured.flatMap((member) => {
      const own = series.get(member)?.get(metric);
      const last = own && lastSample(db, own.id, atMs, RECENT_MS);
      return last ? [{ id: member, value: last.value }] : [];
    });
  const figures = METRICS.flatMap((metric) => {
    const values = valuesOf(metric);
    const sum = together(values, metricInfo(metric));
    const unit = [...series.values()].find((own) => own.has(metric))?.get(metric)?.unit ?? "";
    return sum ? [{ metric, label: metricInfo(metric).label, unit, values, ...sum }] : [];
  }).slice(0, MOST_METRICS);
  const chosen = figures.find((one) => one.metric === question.metric) ?? figures[0];
  const step = Math.max(1000, Math.ceil((toMs - fromMs) / TREND_POINTS / 1000) * 1000);
  const nameOf = (member: number) => ({ id: member, name: members.get(member)?.name ?? "" });
  return {
    collection: { id, name: collection.name, filter: collection.filter, madeBy: collection.madeBy },
    count: members.size,
    measured: Math.min(members.size, MOST_MEASURED),
    severities: SEVERITIES.map((severity) => ({
      severity,
      count:
        severity === "cleared" ? members.size - worst.length : worst.filter((one) => one.severity === severity).length,
    })).filter((one) => one.count > 0),
    worst: worst.slice(0, MOST_WORST),
    kinds: countBy([...members.values()], (one) => kindInfo(one.kind).plural),
    sites: countBy([...members.values()], (one) => one.site),
    figures: figures.map(({ values: _values, lowest, highest, worst: most, ...one }) => ({
      ...one,
      lowest: { ...lowest, ...nameOf(lowest.id) },
      highest: { ...highest, ...nameOf(highest.id) },
      worst: { ...most, ...nameOf(most.id) },
    })),
    metric: chosen?.metric ?? null,
    top: chosen
      ? topOf(chosen.values, TOP, metricInfo(chosen.metric).bad).map((one) => {
          const own = series.get(one.id)?.get(chosen.metric);
          const spans = own && spansOf(db, own, fromMs, toMs, step);
          return {
            ...one,
            ...nameOf(one.id),
            kind: members.get(one.id)?.kind ?? "",
            severity: health.get(one.id)?.severity ?? ("cleared" as const),
            trend: spans ? [...spans.sum].map((sum, index) => sum / (spans.count[index] as number)) : [],
          };
        })
      : [],
    spend: spendOf(db, new Set(ids), atMs),
  };
}

function countBy(members: readonly Member[], of: (one: Member) => string) {
  const counts = new Map<string, number>();
  for (const one of members) counts.set(of(one), (counts.get(of(one)) ?? 0) + 1);
  return [...counts]
    .map(([name, count]) => ({ name, count }))
    .sort((a, b) => b.count - a.count || a.name.localeCompare(b.name));
}

/** What its members cost this month, where a platform or a file tells. */
function spendOf(db: Db, ids: ReadonlySet<number>, atMs: number) {
  const month = hasSpend(db) ? monthOfSpend(db, atMs) : undefined;
  if (!month) return null;
  const own = cubeOf(db)
    .groups("component", [month.now, month.before])
    .filter((one) => ids.has(Number(one.value)));
  if (own.length === 0) return null;
  const sum = (index: number) => own.reduce((all, one) => all + (one.sums[index] as number), 0);
  return {
    currency: reportCurrency(db),
    month: monthName(month.now.fromMs),
    spent: sum(0),
    before: sum(1),
    paid: own.length,
  };
}
