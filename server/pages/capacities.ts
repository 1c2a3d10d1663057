import { allKinds } from "#core/catalogue/kinds";
import { HEADROOM, roomOfSites } from "#core/platforms/capacity";
import { coversKind } from "#core/detection/rule";
import { byName } from "#core/units/order";
import type { Db } from "../store/database";
import { listRules } from "../store/alarms";
import { currentComponents } from "../store/estate";
import { spansOf } from "../store/query";
import { healthAt } from "../store/services";
import { lastSample, seriesOfMetrics, type SeriesRow } from "../store/signals";
import { RECENT_MS } from "./guests";
import { sizeOfHost } from "./host-size";

const METRICS = ["cpu.used", "memory.used", "cpu.allotted", "memory.allotted", "guests.running"] as const;
type Metric = (typeof METRICS)[number];
/** Steps of a window that extremes are looked for in. */
const SPANS = 24;

export interface CapacitiesQuestion {
  sort: string;
  order: "asc" | "desc";
  atMs: number;
  fromMs: number;
  toMs: number;
}

/** Every host that carries machines: what it has, has given away and uses, and the room that its site has without one. */
export function capacitiesPage(db: Db, { sort, order, atMs, fromMs, toMs }: CapacitiesQuestion) {
  const kinds = new Set(allKinds().flatMap(([kind, info]) => (info.hasGuests ? [kind] : [])));
  const hosts = currentComponents(db).filter((one) => kinds.has(one.kind));
  const series = seriesOfMetrics(
    db,
    hosts.map((one) => one.id),
    METRICS,
  );
  const health = healthAt(db, "component", atMs);
  const step = Math.max(1000, Math.ceil((toMs - fromMs) / SPANS / 1000) * 1000);
  const rows = hosts.map(({ id, name, site }) => {
    const own = series.get(id) ?? new Map<string, SeriesRow>();
    const last = (metric: Metric) => {
      const one = own.get(metric);
      return one ? (lastSample(db, one.id, atMs, RECENT_MS)?.value ?? null) : null;
    };
    const use = (metric: Metric) => {
      const one = own.get(metric);
      if (!one) return null;
      const spans = spansOf(db, one, fromMs, toMs, step);
      let [sum, count, highest] = [0, 0, -Infinity];
      for (let index = 0; index < spans.sum.length; index++) {
        sum += spans.sum[index] as number;
        count += spans.count[index] as number;
        highest = Math.max(highest, spans.max[index] as number);
      }
      return count ? { mean: sum / count, highest } : null;
    };
    const { processors, memory } = sizeOfHost(db, id, atMs);
    return {
      id,
      name,
      site,
      severity: health.get(id)?.severity ?? ("cleared" as const),
      processors,
      memory,
      guests: last("guests.running"),
      cpuAllotted: last("cpu.allotted"),
      memoryAllotted: last("memory.allotted"),
      cpu: use("cpu.used"),
      memoryUsed: use("memory.used"),
    };
  });
  const sites = roomOfSites(
    rows.flatMap((one) =>
      one.memory && one.memoryAllotted !== null
        ? [
            {
              site: one.site,
              usable: one.memory * (1 - HEADROOM),
              allotted: (one.memory * one.memoryAllotted) / 100,
            },
          ]
        : [],
    ),
  );
  return {
    rows: sorted(rows, sort, order),
    sites,
    headroom: HEADROOM,
    /** Limits that hold for all of them at once. */
    limits: listRules(db).flatMap(({ id, name, enabled, scope }) =>
      [...kinds].some((kind) => coversKind(scope, kind)) ? [{ id, name, enabled }] : [],
    ),
  };
}

type Row = ReturnType<typeof capacitiesPage>["rows"][number];

const VALUES: Readonly<Record<string, (row: Omit<Row, never>) => number | string | null>> = {
  name: (row) => row.name,
  site: (row) => row.site,
  guests: (row) => row.guests,
  cpuAllotted: (row) => row.cpuAllotted,
  cpu: (row) => row.cpu?.highest ?? null,
  memoryAllotted: (row) => row.memoryAllotted,
  memoryUsed: (row) => row.memoryUsed?.highest ?? null,
};

/** What is not known stands last, whatever the order. */
function sorted<One extends { name: string }>(rows: One[], sort: string, order: "asc" | "desc"): One[] {
  const of = (VALUES[sort] ?? VALUES.name) as unknown as (row: One) => number | string | null;
  const sign = order === "desc" ? -1 : 1;
  return rows.sort((a, b) => {
    const [x, y] = [of(a), of(b)];
    if (x === null || y === null) return Number(x === null) - Number(y === null) || a.name.localeCompare(b.name);
    const by = typeof x === "number" && typeof y === "number" ? x - y : byName(String(x), String(y));
    return sign * by || byName(a.name, b.name);
  });
}
